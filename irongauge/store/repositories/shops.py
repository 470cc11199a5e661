"""Shops and their technicians."""

from __future__ import annotations

from dataclasses import asdict, astuple
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session

from irongauge.core.bench.case import ShopLimits
from irongauge.core.measure.units import Quantity
from irongauge.core.plan.joints import Joint
from irongauge.core.shop import USUAL_TOOLS, Shop, Technician, default_units
from irongauge.core.work.hours import USUAL_HOURS, Shift
from irongauge.errors import NotFoundError
from irongauge.store.handover_models import ShopLogoRow
from irongauge.store.models import ShopRow, TechnicianRow

__all__ = ["ShopRepository", "technician_of"]


def technician_of(row: TechnicianRow) -> Technician:
    return Technician(row.uid, row.name)


def _shop_of(row: ShopRow) -> Shop:
    # A shop that was set up before a quantity was known reads it in its first unit.
    units = default_units() | {Quantity(name): code for name, code in row.units.items()}
    return Shop(
        uid=row.uid,
        name=row.name,
        height_m=row.height_m,
        timezone=row.timezone,
        units=units,
        limits=ShopLimits(**row.limits),
        hours=USUAL_HOURS if row.hours is None else tuple(Shift(*shift) for shift in row.hours),
        tools=USUAL_TOOLS if row.tools is None else row.tools,
        joint_school=None if row.joint_school is None else Joint(row.joint_school),
        foreman_alone=row.foreman_alone,
        paper=row.paper,
    )


class ShopRepository:
    """One database may hold several shops; a server works for the first that was made."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def first(self, *, lock: bool = False) -> Shop | None:
        """The shop; with `lock` held until the unit of work ends."""
        query = select(ShopRow).order_by(ShopRow.made_at, ShopRow.uid).limit(1)
        row = self._session.scalars(query.with_for_update() if lock else query).first()
        return None if row is None else _shop_of(row)

    def save(self, shop: Shop) -> None:
        """Add the shop, or write its changed name, units and limits."""
        self._session.merge(
            ShopRow(
                uid=shop.uid,
                name=shop.name,
                height_m=shop.height_m,
                timezone=shop.timezone,
                units={str(quantity): code for quantity, code in shop.units.items()},
                limits=asdict(shop.limits),
                joint_school=shop.joint_school,
                hours=[list(astuple(shift)) for shift in shop.hours],
                tools=dict(shop.tools),
                foreman_alone=shop.foreman_alone,
                paper=shop.paper,
            )
        )
        self._session.flush()

    def logo(self, shop_uid: UUID) -> tuple[str, bytes] | None:
        """Media type and bytes of the picture at the head of the shop's sheets, if it has one."""
        row = self._session.get(ShopLogoRow, shop_uid)
        return None if row is None else (row.media_type, row.content)

    def set_logo(self, shop_uid: UUID, logo: tuple[str, bytes] | None) -> None:
        row = self._session.get(ShopLogoRow, shop_uid)
        if row is not None:
            self._session.delete(row)
            self._session.flush()
        if logo is not None:
            self._session.add(ShopLogoRow(shop_uid=shop_uid, media_type=logo[0], content=logo[1]))
        self._session.flush()

    def technicians(self, shop_uid: UUID) -> tuple[Technician, ...]:
        query = select(TechnicianRow.uid, TechnicianRow.name).where(TechnicianRow.shop_uid == shop_uid)
        return tuple(Technician(uid, name) for uid, name in self._session.execute(query.order_by(TechnicianRow.name)))

    def hours_of(self, shop_uid: UUID) -> dict[UUID, tuple[Shift, ...] | None]:
        """When each technician works; None for who keeps the shop's hours."""
        query = select(TechnicianRow.uid, TechnicianRow.hours).where(TechnicianRow.shop_uid == shop_uid)
        return {
            uid: None if hours is None else tuple(Shift(*shift) for shift in hours)
            for uid, hours in self._session.execute(query)
        }

    def set_hours(self, uid: UUID, hours: tuple[Shift, ...] | None) -> None:
        row = self._session.get(TechnicianRow, uid)
        if row is None:
            raise NotFoundError("technician", str(uid))
        row.hours = None if hours is None else [list(astuple(shift)) for shift in hours]
        self._session.flush()

    def technician(self, uid: UUID) -> Technician:
        row = self._session.get(TechnicianRow, uid)
        if row is None:
            raise NotFoundError("technician", str(uid))
        return technician_of(row)

    def add_technician(self, shop_uid: UUID, technician: Technician) -> None:
        self._session.add(TechnicianRow(uid=technician.uid, shop_uid=shop_uid, name=technician.name))
        self._session.flush()
