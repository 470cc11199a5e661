"""Coming in and going out: passwords, numbers, devices and roles."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from uuid import UUID, uuid4

from irongauge.core.people.accounts import Account, Device, Person, Program, SignIn
from irongauge.core.people.keys import (
    IDLE,
    INVITED,
    MOST_AN_HOUR,
    PIN_TRIES,
    PIN_TRIES_IN_ALL,
    SEEN_EVERY,
    SESSION,
    TABLET_CODE,
    TRUSTED,
    pin_problem,
    wait_s,
)
from irongauge.core.people.roles import Role
from irongauge.core.shop import SIMULATOR_NAME, Shop, Technician
from irongauge.errors import EntryError, NotFoundError, RefusedRequestError, quoted
from irongauge.store.database import Database
from irongauge.store.repositories import Store
from irongauge.workflows.people.passwords import (
    check_password,
    fits,
    hash_of,
    new_code,
    new_token,
    spend_time,
    token_hash,
)
from irongauge.workflows.shop.shelf import named
from irongauge.workflows.shop.view import now, require_shop, today

__all__ = [
    "ComingIn",
    "Entered",
    "PeopleView",
    "add_person",
    "change_password",
    "change_person",
    "come_in",
    "come_in_as",
    "come_in_by_number",
    "devices_of",
    "first_foreman",
    "go_out",
    "invite",
    "known_device",
    "look_at_people",
    "make_first_foreman",
    "needs_foreman",
    "new_tablet_code",
    "revoke_device",
    "set_number",
    "who_is_in",
]

_REMEMBERED = timedelta(days=1)  # wrong guesses
_WRONG = "The name or the password is wrong."  # never which of them (ASVS 2.2.2)


@dataclass(frozen=True, kw_only=True)
class ComingIn:
    """From where somebody comes in: its name for itself, its address, and the device that its cookie names, if any."""

    browser: str
    address: str
    device: Device | None = None


@dataclass(frozen=True)
class Entered:
    """Somebody came in: the secrets for the browser's cookies; `device_token` where the device is new."""

    sign_in: SignIn
    token: str
    device_token: str | None


@dataclass(frozen=True)
class PeopleView:
    shop: Shop
    today: date
    accounts: tuple[Account, ...]
    devices: tuple[Device, ...]
    programs: tuple[Program, ...]

    @property
    def shown(self) -> tuple[Account, ...]:
        """Everybody but the simulator, which is no person."""
        return tuple(a for a in self.accounts if a.person.name != SIMULATOR_NAME)

    def account(self, uid: UUID) -> Account:
        return next(a for a in self.accounts if a.person.uid == uid)


def look_at_people(database: Database) -> PeopleView:
    with database.unit() as store:
        shop = require_shop(store)
        people = store.people
        return PeopleView(
            shop, today(shop), people.accounts(shop.uid), people.devices(shop.uid), people.programs(shop.uid)
        )


def devices_of(database: Database, person: Person) -> tuple[Device, ...]:
    """Where somebody has come in."""
    with database.unit() as store:
        return store.people.devices(require_shop(store).uid, person.uid)


def known_device(database: Database, token: str) -> Device | None:
    """The device that a browser's cookie names, while it has not been revoked."""
    if not token:
        return None
    with database.unit() as store:
        device = store.people.device(token_hash(token))
    return None if device is None or device.revoked_at is not None else device


def _place(coming: ComingIn, moment: datetime) -> str:
    """Where guesses are counted: a trusted tablet for itself, so that nobody elsewhere shuts out who works on it."""
    if coming.device is not None and coming.device.is_trusted(moment):
        return f"device {coming.device.uid}"
    return f"address {coming.address}"[:80]


def _try(store: Store, place: str, name: str, moment: datetime) -> None:
    """Count a guess before it is looked at, or refuse one that comes too early; of many at once only the free ones are taken.

    Guessing is slowed for who guesses: at one name from one place, or at many names from one address. Beyond a hundred an hour at
    one name from anywhere only a tablet of the shop may still guess at it.
    """
    people, since, hour = store.people, moment - _REMEMBERED, moment - timedelta(hours=1)
    people.hold_guesses(place, name)
    wait = wait_s(people.guesses(since, place=place, name=name), moment)
    if place.startswith("address"):
        # Wrong at many names from one address: somebody tries names. Four times as many are free as at one.
        wait = max(wait, wait_s(people.guesses(since, place=place)[::4], moment))
        many = max(len(people.guesses(hour, place=place)), len(people.guesses(hour, name=name)))
        wait = max(wait, _WAIT_LONG_S if many >= MOST_AN_HOUR else 0.0)
    if wait > 0:
        when = f"{wait:.0f} seconds" if wait < 90 else f"{wait / 60:.0f} minutes"  # noqa: PLR2004
        raise RefusedRequestError(
            "There were too many wrong passwords from here.",
            f"Wait {when}, or come in on another device: it is only this one that waits.",
        )
    people.add_guess(place, name, moment, since)


_WAIT_LONG_S = 900.0


def come_in(database: Database, name: str, password: str, coming: ComingIn, *, tablet_code: str = "") -> Entered:
    """Somebody comes in with a password, or for the first time with the code that the foreman gave.

    A foreman's `tablet_code` makes the device a tablet of the shop. `EntryError` where name or password are wrong, without saying
    which, or where that code is not good.
    """
    moment = now()
    typed = name.strip()[:80]
    place = _place(coming, moment)
    with database.unit() as store:
        shop = require_shop(store)
        _try(store, place, typed.lower(), moment)
        account = store.people.account_named(shop.uid, typed)
    # Outside a unit of work: a hash takes a while, and holds no connection.
    way = "" if account is None or account.person.has_left else _way_in(account, password, moment)
    if account is None or account.person.has_left:
        spend_time()
    if account is None or not way:
        raise EntryError("password", "", _WRONG, "Try again; a foreman can give you a new code.")
    code = tablet_code.strip().lower()
    with database.unit() as store:
        if code and not store.people.use_tablet_code(shop.uid, token_hash(code), moment):
            problem = f"{quoted(code)} is no code for a new tablet, or it is used up."
            raise EntryError(
                "tablet_code", code, problem, "A foreman makes one under People. It is good for half an hour."
            )
        store.people.forget_guesses(place, typed.lower())
        return _enter(store, shop, account.person, coming, way, trust=bool(code))


def new_tablet_code(database: Database, made_by: Person) -> str:
    """A code that makes one device a tablet of the shop; it is shown once, and good for half an hour."""
    code = new_code()
    with database.unit() as store:
        ends_at = now() + TABLET_CODE
        store.people.add_tablet_code(require_shop(store).uid, token_hash(code), made_by.uid, ends_at)
    return code


def _way_in(account: Account, password: str, moment: datetime) -> str:
    if fits(account.password_hash, password):
        return "password"
    invited = account.invited_hash is not None and account.invited_until is not None
    if invited and moment < account.invited_until and fits(account.invited_hash, password.strip().lower()):  # type: ignore[operator]
        return "code"
    return ""


def _enter(store: Store, shop: Shop, person: Person, coming: ComingIn, way: str, *, trust: bool) -> Entered:
    moment = now()
    device, device_token = coming.device, None
    if device is None:
        device_token = new_token()
        device = Device(
            uid=uuid4(),
            name=coming.browser[:80] or "A browser",
            address=coming.address[:60],
            made_at=moment,
            seen_at=moment,
            trusted_until=moment + TRUSTED if trust else None,
        )
        store.people.add_device(shop.uid, device, token_hash(device_token))
    else:
        until = moment + TRUSTED if trust else device.trusted_until
        store.people.see_device(device.uid, moment, coming.address[:60], until)
    token = new_token()
    sign_in = SignIn(uid=uuid4(), person=person, device=device, way=way, begun_at=moment, seen_at=moment)
    store.people.add_sign_in(sign_in, token_hash(token))
    return Entered(sign_in, token, device_token)


def come_in_by_number(database: Database, person_uid: UUID, pin: str, coming: ComingIn, pepper: str) -> Entered:
    """Somebody takes over a tablet of the shop with a number. After a few wrong ones it asks for the password."""
    moment = now()
    device = coming.device
    if device is None or not device.is_trusted(moment):
        raise RefusedRequestError("A number is enough only on a tablet of the shop.", "Come in with your password.")
    with database.unit() as store:
        shop = require_shop(store)
        account = store.people.account(person_uid)
        tried = _try_number(store, account, device, moment)
    if not fits(account.pin_hash, pin.strip(), pepper):
        left = PIN_TRIES - tried
        raise EntryError(
            "pin", "", "That number is wrong.", f"{left} more tries." if left > 0 else "Come in with your password."
        )
    with database.unit() as store:
        store.people.forget_guesses(*_at_number(account.person, device))
        return _enter(store, shop, account.person, coming, "number", trust=False)


def _at_number(person: Person, device: Device) -> tuple[str, str]:
    """Place and name under which tries at a number are counted."""
    return f"device {device.uid}", f"number {person.uid}"


def _try_number(store: Store, account: Account, device: Device, moment: datetime) -> int:
    """Count a try at somebody's number before it is looked at: how many on this tablet. Refused where it takes the password.

    Tries on all tablets count together as well, and a foreman's number alone opens nothing where that foreman never typed the
    password.
    """
    people, since = store.people, moment - _REMEMBERED
    place, name = _at_number(account.person, device)
    people.hold_guesses(place, name)
    tried, in_all = len(people.guesses(since, place=place, name=name)), len(people.guesses(since, name=name))
    is_foreman = account.person.role is Role.FOREMAN
    problem = ""
    if tried >= PIN_TRIES or in_all >= PIN_TRIES_IN_ALL:
        problem = "That number was typed wrongly too often."
    elif account.pin_hash is None or account.person.has_left:
        problem = "No number is set for that name."
    elif is_foreman and not people.has_come_in_by_password(account.person.uid, device.uid):
        problem = "A foreman’s number is not enough the first time on a tablet."
    if problem:
        raise RefusedRequestError(problem, "Come in with your password.")
    people.add_guess(place, name, moment, since)
    return tried + 1


def come_in_as(database: Database, person_uid: UUID, coming: ComingIn) -> Entered:
    """In the demo anybody is whoever they like; where this may be asked is for the caller to know."""
    with database.unit() as store:
        account = store.people.account(person_uid)
        return _enter(store, require_shop(store), account.person, coming, "demo", trust=False)


def who_is_in(database: Database, token: str, *, counts: bool = True) -> SignIn | None:
    """Whose stay a browser's cookie stands for; None after half an hour without a request, or half a day.

    A request that a page makes by itself does not count as one of the person's.
    """
    moment = now()
    with database.unit() as store:
        found = store.people.sign_in(token_hash(token))
        if found is None:
            return None
        if moment - found.seen_at > IDLE or moment - found.begun_at > SESSION or found.person.has_left:
            store.people.end_sign_in(found.uid, moment, "timed out")
            return None
        if counts and moment - found.seen_at > SEEN_EVERY:
            store.people.see_sign_in(found.uid, moment)
    return found


def first_foreman(database: Database) -> Person | None:
    """The first foreman by name, whether or not one can come in; None in a shop without one."""
    with database.unit() as store:
        return store.people.first_of_role(Role.FOREMAN)


def needs_foreman(database: Database) -> bool:
    """True for a shop in which nobody can come in who may run it."""
    with database.unit() as store:
        shop = store.shops.first()
        return shop is not None and not store.people.has_foreman(shop.uid)


def go_out(database: Database, sign_in: SignIn) -> None:
    with database.unit() as store:
        store.people.end_sign_in(sign_in.uid, now(), "signed out")


# One's own account


def change_password(database: Database, sign_in: SignIn, old: str, new: str, repeated: str) -> None:
    """Set one's password; every other stay of this person ends. Who came in with a code has no old one."""
    with database.unit() as store:
        shop, account = require_shop(store), store.people.account(sign_in.person.uid)
    _check_own(database, sign_in, account, old)
    if new != repeated:
        raise EntryError("repeated", "", "The two are not the same.", "Type the new one twice.")
    check_password(new, (account.person.name, shop.name, "iron gauge"))
    hashed = hash_of(new)
    with database.unit() as store:
        store.people.set_account(account.person.uid, now(), password_hash=hashed, invited_hash=None, invited_until=None)
        store.people.end_sign_ins_of(account.person.uid, now(), "password changed", but=sign_in.uid)
        store.people.revoke_programs(now(), of_person=account.person.uid)
        if sign_in.way == "code":  # from here on it is a stay like any other: the next change asks for this password
            store.people.set_way(sign_in.uid, "password")


def _check_own(database: Database, sign_in: SignIn, account: Account, old: str) -> None:
    """Refuse what is not somebody's own password; guesses at it are slowed as those at coming in. A code's stay has none yet."""
    if sign_in.way in {"code", "demo"}:
        return
    moment, place, name = now(), f"device {sign_in.device.uid}", account.person.name.lower()
    with database.unit() as store:
        _try(store, place, name, moment)
    if not fits(account.password_hash, old):
        raise EntryError("old", "", "That is not your password.", "Type the one that you came in with.")
    with database.unit() as store:
        store.people.forget_guesses(place, name)


def set_number(database: Database, sign_in: SignIn, pin: str, old: str, pepper: str) -> None:
    """Set the number that takes over a tablet; it takes the password, so that a tablet left open gives nobody a way in."""
    with database.unit() as store:
        account = store.people.account(sign_in.person.uid)
    _check_own(database, sign_in, account, old)
    person = account.person
    problem = pin_problem(pin.strip())
    if problem:
        raise EntryError("pin", "", problem, "Choose another.")
    hashed = hash_of(pin.strip(), pepper)
    with database.unit() as store:
        store.people.set_account(person.uid, now(), pin_hash=hashed)


# The foreman's part


def make_first_foreman(
    database: Database, name: str, password: str, *, repeated: str, coming: ComingIn, shop: Shop | None = None
) -> Entered:
    """The first person of a shop that has none who could come in; with `shop`, the shop itself is new as well."""
    typed = name.strip()
    if password != repeated:
        raise EntryError("repeated", "", "The two are not the same.", "Type the password twice.")
    check_password(password, (typed, shop.name if shop else "", "iron gauge"))
    hashed = hash_of(password)
    with database.turn(_FIRST), database.unit() as store:
        there = store.shops.first()
        if (there is not None) if shop is not None else (there is None or store.people.has_foreman(there.uid)):
            raise RefusedRequestError("This shop has been set up already.", "Come in with your name and password.")
        if shop is not None:
            store.shops.save(shop)
            there = shop
        assert there is not None  # it is either new, or was there
        known = store.people.account_named(there.uid, typed)
        uid = uuid4() if known is None else known.person.uid
        if known is None:
            store.shops.add_technician(there.uid, Technician(uid, typed))
        store.people.set_role(uid, Role.FOREMAN, has_left=False)
        store.people.set_account(uid, now(), password_hash=hashed, invited_hash=None, invited_until=None)
        store.session.expire_all()
        return _enter(store, there, store.people.account(uid).person, coming, "password", trust=False)


_FIRST = 8_470_017  # those who set up one shop take turns


def add_person(database: Database, name: str, role: Role) -> UUID:
    """Somebody new, who comes in with a code that `invite` gives."""
    uid = uuid4()
    with named("uq_technician_shop_uid_name", "name", name, "somebody here"), database.unit() as store:
        shop = require_shop(store)
        if store.people.account_named(shop.uid, name) is not None:
            raise EntryError("name", name, f"{quoted(name)} is somebody here already.", "Add what tells the two apart.")
        store.shops.add_technician(shop.uid, Technician(uid, name))
        store.people.set_role(uid, role, has_left=False)
    return uid


def invite(database: Database, person_uid: UUID) -> str:
    """A code for somebody's first coming in, or for one who forgot the password; it is shown once, and good for a week."""
    code = new_code()
    hashed = hash_of(code)
    with database.turn(_FIRST), database.unit() as store:
        shop = require_shop(store)
        account = store.people.account(person_uid, lock=True)
        if account.person.name == SIMULATOR_NAME:
            raise RefusedRequestError("The simulator is not a person.", "It cannot come in.")
        # Who needs a code has lost the password, or is not to come in with it any more.
        until = now() + INVITED
        store.people.set_account(
            person_uid, now(), password_hash=None, pin_hash=None, invited_hash=hashed, invited_until=until
        )
        store.session.expire_all()
        if account.comes_in and account.person.role is Role.FOREMAN and not store.people.has_foreman(shop.uid):
            problem = "Nobody would be left to run the shop till that code is used."
            raise RefusedRequestError(problem, "Change your password under your own name instead.")
        store.people.end_sign_ins_of(person_uid, now(), "given a new code")
        store.people.revoke_programs(now(), of_person=person_uid)
    return code


def change_person(database: Database, person_uid: UUID, role: Role, *, has_left: bool) -> None:
    """Give somebody another role, or say that they have left; the last foreman stays."""
    with database.turn(_FIRST), database.unit() as store:
        shop = require_shop(store)
        account = store.people.account(person_uid, lock=True)
        if account.person.name == SIMULATOR_NAME:
            raise RefusedRequestError("The simulator is not a person.", "It has no role.")
        store.people.set_role(person_uid, role, has_left=has_left)
        store.session.expire_all()
        if account.comes_in and account.person.role is Role.FOREMAN and not store.people.has_foreman(shop.uid):
            raise RefusedRequestError("Nobody would be left to run the shop.", "Make somebody else a foreman first.")
        if has_left:
            store.people.end_sign_ins_of(person_uid, now(), "has left")
            store.people.revoke_programs(now(), of_person=person_uid)


def revoke_device(database: Database, device_uid: UUID, only_of: Person | None = None) -> None:
    """Whoever is in on it is out, and it is no tablet of the shop any more; `only_of`: only where that person has come in."""
    with database.unit() as store:
        shop = require_shop(store)
        theirs = store.people.devices(shop.uid, None if only_of is None else only_of.uid)
        if all(device.uid != device_uid for device in theirs):
            raise NotFoundError("device", str(device_uid))
        store.people.revoke_device(device_uid, now())
