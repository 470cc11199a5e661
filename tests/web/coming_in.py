"""What tests do with people who come in: with a password, by a code, on a tablet."""

from sqlalchemy import text

from irongauge.workflows.people.accounts import invite, look_at_people

PASSWORD = "cormorant lathe bisque tuesday"


def uid_of(shop, name):
    return next(a.person.uid for a in look_at_people(shop.database).shown if a.person.name == name)


def come_in(shop, name, password=PASSWORD, *, on_tablet=False, **fields):
    """Somebody comes in with a new browser; for who has no password yet, by a code, and sets one. A foreman makes it a tablet."""
    visitor = shop()
    if on_tablet:
        page = shop.foreman.send(shop.foreman.get("/people").form("/people/tablet-code"))
        fields["tablet_code"] = page.text.split("good for half an hour: ")[1].split()[0]
    if not look_at_people(shop.database).account(uid_of(shop, name)).comes_in:
        code = invite(shop.database, uid_of(shop, name))
        page = visitor.send(visitor.get("/sign-in").form("/sign-in"), name=name, password=code, **fields)
        page = visitor.send(page.form("/me/password"), password=password, repeated=password)
        assert "Your password is changed" in page.text
        return visitor
    page = visitor.send(visitor.get("/sign-in").form("/sign-in"), name=name, password=password, **fields)
    assert page.status == 200, page.text
    return visitor


def by_password(page):
    """The form for name and password: a tablet of the shop shows another one first."""
    return next(f for f in page.reader.forms if f.action == "/sign-in")


def guess(visitor, name, password):
    return visitor.send(by_password(visitor.get("/sign-in")), name=name, password=password)


def set_back(shop, statement):
    with shop.database.unit() as store:
        store.session.execute(text(statement))
