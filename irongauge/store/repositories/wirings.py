"""How a vehicle is wired: its harness, connectors put together, feeds, and outputs that were tried."""

from __future__ import annotations

from dataclasses import asdict, fields
from uuid import UUID

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from irongauge.core.plan.chain import Form, Trial
from irongauge.core.plan.feeds import Feed, Load, WireRun
from irongauge.core.plan.harness import WITH_CAVITIES, End, Harness, Node, NodeKind, Wire
from irongauge.core.plan.marrying import Cavity
from irongauge.core.plan.record import KeptFeed, KeptMap
from irongauge.core.sensors.licensed import PartOf
from irongauge.core.shop import Vehicle
from irongauge.errors import NotFoundError
from irongauge.store.plan_models import (
    FeedRow,
    LoadRow,
    MapRow,
    NodeRow,
    TrialRow,
    WireRow,
)

__all__ = ["WiringRepository"]


_OF_LOAD = tuple(field.name for field in fields(Load))


def _feed_of(row: FeedRow, system_v: float) -> KeptFeed:
    loads = tuple(Load(**{name: getattr(load, name) for name in _OF_LOAD}) for load in row.loads)
    feed = Feed(
        name=row.name,
        fuse_a=row.fuse_a,
        run=WireRun.of(row),
        loads=loads,
        system_v=system_v,
        keyed=row.keyed,
        shares_return=row.shares_return,
    )
    return KeptFeed(row.uid, feed)


def _cavities(rows: list[list[str]]) -> tuple[Cavity, ...]:
    return tuple(Cavity(*row) for row in rows)


class WiringRepository:
    def __init__(self, session: Session) -> None:
        self._session = session

    def feeds(self, vehicle: Vehicle) -> tuple[KeptFeed, ...]:
        """A vehicle's feeds, at its system's volts."""
        rows = self._session.scalars(select(FeedRow).where(FeedRow.vehicle_uid == vehicle.uid).order_by(FeedRow.name))
        return tuple(_feed_of(row, vehicle.system_v) for row in rows)

    def maps(self, vehicle_uid: UUID) -> tuple[KeptMap, ...]:
        """Connectors of a vehicle that were put together, the newest first."""
        rows = self._session.scalars(
            select(MapRow).where(MapRow.vehicle_uid == vehicle_uid).order_by(MapRow.kept_at.desc())
        )
        return tuple(
            KeptMap(
                uid=row.uid,
                name=row.name,
                ours=_cavities(row.ours),
                theirs=_cavities(row.theirs),
                kept_at=row.kept_at,
                technician_uid=row.technician_uid,
            )
            for row in rows
        )

    def trials(self, vehicle_uid: UUID) -> tuple[Trial, ...]:
        """Outputs of conditioners that were tried on a vehicle, the oldest first."""
        rows = self._session.scalars(
            select(TrialRow).where(TrialRow.vehicle_uid == vehicle_uid).order_by(TrialRow.tried_at, TrialRow.uid)
        )
        return tuple(
            Trial(
                uid=row.uid,
                at=row.at,
                form=Form(row.form),
                worked=row.worked,
                note=row.note,
                technician_uid=row.technician_uid,
                tried_at=row.tried_at,
            )
            for row in rows
        )

    def keep_trial(self, vehicle_uid: UUID, trial: Trial) -> None:
        self._session.add(TrialRow(vehicle_uid=vehicle_uid, **asdict(trial)))
        self._session.flush()

    def harness(self, vehicle_uid: UUID) -> Harness:
        """A vehicle's nodes and wires. Columns are read, not rows as objects: a harness has hundreds."""
        n, w = NodeRow, WireRow
        nodes = self._session.execute(
            select(n.name, n.kind, n.rows, n.columns, n.note, n.reach_minutes, n.cover, n.cover_minutes, n.plug, n.side)
            .where(n.vehicle_uid == vehicle_uid)
            .order_by(n.place)
        )
        wires = self._session.execute(
            select(
                w.name,
                w.start_node,
                w.start_cavity,
                w.end_node,
                w.end_cavity,
                w.colour,
                w.area_mm2,
                w.length_m,
                w.shield,
                w.part_of,
            )
            .where(w.vehicle_uid == vehicle_uid)
            .order_by(w.place)
        )
        return Harness(
            tuple(Node(**(row._asdict() | {"kind": NodeKind(row.kind)})) for row in nodes),
            tuple(
                Wire(
                    name=row.name,
                    start=End(row.start_node, row.start_cavity),
                    end=End(row.end_node, row.end_cavity),
                    colour=row.colour,
                    area_mm2=row.area_mm2,
                    length_m=row.length_m,
                    shield=row.shield,
                    part_of=PartOf(row.part_of),
                )
                for row in wires
            ),
        )

    def connectors(self, vehicle_uid: UUID) -> tuple[tuple[str, int], ...]:
        """Connectors and adapters of a vehicle, with how many cavities each has."""
        query = (
            select(NodeRow.name, NodeRow.rows * NodeRow.columns)
            .where(NodeRow.vehicle_uid == vehicle_uid, NodeRow.kind.in_(WITH_CAVITIES))
            .order_by(NodeRow.place)
        )
        return tuple((name, cavities) for name, cavities in self._session.execute(query))

    def save_harness(self, vehicle_uid: UUID, harness: Harness) -> None:
        """Write a vehicle's nodes and wires anew, whole."""
        for table in (WireRow, NodeRow):
            self._session.execute(delete(table).where(table.vehicle_uid == vehicle_uid))
        self._session.add_all(
            NodeRow(vehicle_uid=vehicle_uid, place=place, **asdict(node)) for place, node in enumerate(harness.nodes)
        )
        self._session.add_all(
            WireRow(
                vehicle_uid=vehicle_uid,
                name=wire.name,
                place=place,
                start_node=wire.start.node,
                start_cavity=wire.start.cavity,
                end_node=wire.end.node,
                end_cavity=wire.end.cavity,
                colour=wire.colour,
                area_mm2=wire.area_mm2,
                length_m=wire.length_m,
                shield=wire.shield,
                part_of=wire.part_of,
            )
            for place, wire in enumerate(harness.wires)
        )
        self._session.flush()

    def save_feed(self, vehicle_uid: UUID, kept: KeptFeed) -> None:
        """Add a feed with its loads, or write it anew."""
        feed = kept.feed
        self.remove_feed(vehicle_uid, kept.uid)
        self._session.add(
            FeedRow(
                uid=kept.uid,
                vehicle_uid=vehicle_uid,
                name=feed.name,
                fuse_a=feed.fuse_a,
                keyed=feed.keyed,
                shares_return=feed.shares_return,
                **asdict(feed.run),
                loads=[LoadRow(place=place, **asdict(load)) for place, load in enumerate(feed.loads)],
            )
        )
        self._session.flush()

    def remove_feed(self, vehicle_uid: UUID, uid: UUID) -> None:
        """Remove a feed, if it is there; `NotFoundError` for another vehicle's."""
        row = self._session.get(FeedRow, uid)
        if row is not None and row.vehicle_uid != vehicle_uid:
            raise NotFoundError("feed", str(uid))
        if row is not None:
            self._session.delete(row)
            self._session.flush()

    def keep_map(self, vehicle_uid: UUID, kept: KeptMap) -> None:
        self._session.add(
            MapRow(
                uid=kept.uid,
                vehicle_uid=vehicle_uid,
                name=kept.name,
                ours=[[c.number, c.colour, c.function] for c in kept.ours],
                theirs=[[c.number, c.colour, c.function] for c in kept.theirs],
                technician_uid=kept.technician_uid,
                kept_at=kept.kept_at,
            )
        )
        self._session.flush()
