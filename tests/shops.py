"""A shop of a test's own, with its first technician."""

from uuid import uuid4

from irongauge.core.shop import Technician


def open_shop(database, shop, technician_name):
    with database.unit() as store:
        store.shops.save(shop)
        store.shops.add_technician(shop.uid, Technician(uuid4(), technician_name))


def meter_of(people):
    """The demo's meter whose calibration is not due."""
    return next(i.uid for i in people.instruments if i.name == "Meter 4")
