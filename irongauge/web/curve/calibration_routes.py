"""Calibrating: the Curve room's first page, a new record, its points by keyboard, the signature."""

from __future__ import annotations

import csv
import io
from uuid import UUID, uuid4

from fastapi import APIRouter
from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.calibration.record import PointReason
from irongauge.core.measure.units import standard_atmosphere_kpa
from irongauge.core.sensors.circuits import Circuit, InstrumentKind, SensorType
from irongauge.errors import EntryError, NotFoundError, StaleFormError
from irongauge.formats.job_json import utc
from irongauge.formats.readings_csv import inert
from irongauge.web.cookies import recall, remember
from irongauge.web.curve.calibration_forms import (
    LeaveOutForm,
    PointForm,
    SetupForm,
    SignForm,
    setup_from_form,
    setup_values,
    values_as_left,
)
from irongauge.web.curve.calibration_page import calibration_page, fed_with
from irongauge.web.deps import DatabaseDep, FormDep, PagesDep, uid_or_missing
from irongauge.web.forms import FormState, read_form
from irongauge.web.pages import Pages, go_to
from irongauge.web.permissions import LOOK, MEASURE, SIGN
from irongauge.workflows.curve.calibrate import (
    CalibrationView,
    CurveRoom,
    NewPoint,
    leave_out,
    look_at_calibration,
    look_at_curve_room,
    sign,
    start,
    supersede,
    take_point,
    with_typed,
)
from irongauge.workflows.shop.view import today

router = APIRouter(include_in_schema=False)

_CHOICES_COOKIE = "iron_curve"


@router.get("/curve", dependencies=[LOOK], name="curve")
def curve_room(request: Request, database: DatabaseDep, pages: PagesDep) -> Response:
    """The room's first page: what is being calibrated, and the tools."""
    room = look_at_curve_room(database)
    return pages.render(request, "curve.html", room_view=room)


@router.get("/calibrations/new", dependencies=[LOOK], name="new_calibration")
def new_calibration(
    request: Request,
    database: DatabaseDep,
    pages: PagesDep,
    *,
    circuit: str = "",
    sensor: str = "",
    channel: str = "",
    manner: str = "",
    after: str = "",
) -> Response:
    """The form of a new calibration; `after` names one whose set-up is taken over, now that the sensor was adjusted."""
    room = look_at_curve_room(database)
    found, kind, height_m = _subject(room, circuit, sensor)
    chosen = next((c for c in kind.channels if c.name == channel), kind.channels[0])
    state = setup_values(room.shop, kind, found, chosen, standard_atmosphere_kpa(height_m), quick=manner == "quick")
    names = ("technician_uid", "meter_uid", "gauge_uid")
    state = FormState({**state.values, **dict(zip(names, recall(request, _CHOICES_COOKIE, len(names)), strict=False))})
    if after:
        before = look_at_calibration(database, uid_or_missing("calibration", after))
        state = FormState({**state.values, **values_as_left(before)})
    return _setup_page(request, pages, room, circuit=found, sensor=kind, state=state)


def _subject(room: CurveRoom, circuit: str, sensor: str) -> tuple[Circuit | None, SensorType, float]:
    """The circuit, if any, its sensor type, and the height at which it is calibrated."""
    if circuit:
        uid = uid_or_missing("circuit", circuit)
        found = next((c for c in room.circuits if c.circuit.uid == uid), None)
        if found is None:
            raise NotFoundError("circuit", circuit)
        return found.circuit, found.circuit.sensor, found.job.vehicle.height_m
    uid = uid_or_missing("sensor type", sensor)
    kind = next((s for s in room.sensor_types if s.uid == uid), None)
    if kind is None:
        raise NotFoundError("sensor type", sensor)
    return None, kind, room.shop.height_m


def _setup_page(
    request: Request,
    pages: Pages,
    room: CurveRoom,
    *,
    circuit: Circuit | None,
    sensor: SensorType,
    state: FormState,
    status: int = 200,
) -> Response:
    channel = next((c for c in sensor.channels if c.name == state.values.get("channel")), sensor.channels[0])
    quantity = channel.curve.quantity
    usable = room.people.usable
    return pages.render(
        request,
        "calibration_new.html",
        status,
        circuit=circuit,
        sensor=sensor,
        channel=channel,
        unit=room.shop.units[quantity],
        meters=[i for i in usable if i.kind is InstrumentKind.METER],
        gauges=[i for i in usable if i.gauge is not None and i.gauge.quantity is quantity],
        technicians=room.people.technicians,
        today=today(room.shop),
        state=state,
    )


@router.post("/calibrations", dependencies=[MEASURE], name="start_calibration")
def post_calibration(request: Request, database: DatabaseDep, pages: PagesDep, posted: FormDep) -> Response:
    """Begin a calibration."""
    room = look_at_curve_room(database)
    found, kind, height_m = _subject(room, posted.values.get("circuit", ""), posted.values.get("sensor", ""))
    form, state = read_form(SetupForm, posted.values)
    if form is None:
        return _setup_page(request, pages, room, circuit=found, sensor=kind, state=state, status=422)
    try:
        if form.technician_uid is None:
            raise EntryError("technician_uid", "", "Choose who calibrates.")
        setup = setup_from_form(form, room.shop, kind, standard_atmosphere_kpa(height_m), _pull_up_v(found, kind))
        made = start(
            database,
            setup,
            form.technician_uid,
            circuit_uid=None if found is None else found.uid,
            sensor_uid=kind.uid,
        )
    except EntryError as error:
        return _setup_page(request, pages, room, circuit=found, sensor=kind, state=state.with_error(error), status=422)
    response = go_to(request.url_for("calibration", uid=made.uid))
    chosen = (form.technician_uid, form.meter_uid, form.gauge_uid)
    remember(response, _CHOICES_COOKIE, chosen)
    return response


def _pull_up_v(circuit: Circuit | None, sensor: SensorType) -> float:
    pull_ups = [] if circuit is None else [circuit.pull_up, circuit.temperature_pull_up]
    return next((p.to_v for p in pull_ups if p is not None), sensor.supply_v)


@router.get("/calibrations/{uid}", dependencies=[LOOK], name="calibration")
def calibration(
    request: Request,
    database: DatabaseDep,
    pages: PagesDep,
    *,
    uid: str,
    point: str = "",
    stimulus: str = "",
    reading: str = "",
    reference: str = "",
) -> Response:
    """The record. With a stimulus and a reading it is shown as it would be with them, and nothing is kept."""
    view = look_at_calibration(database, uid_or_missing("calibration", uid))
    place = int(point) if point.isdigit() else None
    typed = None
    if stimulus and reading and view.calibration.signed_at is None:
        new = NewPoint(
            uid=uuid4(),
            place=view.calibration.next_place if place is None else place,
            stimulus=stimulus[:80],
            reading=reading[:80],
            reference=reference[:80],
        )
        try:
            typed = with_typed(view, new)
        except EntryError:
            typed = None  # half a number: it is asked again with the next key
    values = {"stimulus": stimulus[:80], "reading": reading[:80], "reference": reference[:80]}
    return _show(request, pages, view, FormState(values), place=place, typed=typed)


@router.get("/calibrations/{uid}/certificate", dependencies=[LOOK], name="certificate")
def get_certificate(request: Request, database: DatabaseDep, pages: PagesDep, uid: str) -> Response:
    """What ISO/IEC 17025, 7.8.4, wants said of a calibration, to print."""
    view = look_at_calibration(database, uid_or_missing("calibration", uid))
    return pages.render(
        request,
        "certificate.html",
        view=view,
        c=view.calibration,
        page=calibration_page(view, None, None),
        fed=fed_with(view),
        done_on=view.calibration.started_at.date(),
        today=today(view.shop),
    )


def _show(
    request: Request,
    pages: Pages,
    view: CalibrationView,
    state: FormState,
    status: int = 200,
    *,
    place: int | None = None,
    typed: CalibrationView | None = None,
) -> Response:
    page = calibration_page(view, typed, place)
    values = dict(state.values)
    asked = page.asked
    if asked is not None:
        values.setdefault("uid", str(uuid4()))
        values.setdefault("seen_uid", "" if asked.current is None else str(asked.current.uid))
        if asked.current is not None and not values.get("stimulus"):
            values["stimulus"] = asked.current.typed_stimulus
    values.setdefault("technician_uid", str(view.calibration.technician_uid))
    return pages.render(request, "calibration.html", status, page=page, state=FormState(values, state.errors))


@router.post("/calibrations/{uid}/points", dependencies=[MEASURE], name="take_point")
def post_point(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Keep a point, or send the form back."""
    calibration_uid = uid_or_missing("calibration", uid)
    form, state = read_form(PointForm, posted.values)
    if form is None:
        return _show(request, pages, look_at_calibration(database, calibration_uid), state, 422)
    place = int(form.place)
    new = NewPoint(
        uid=form.uid or uuid4(),
        place=place,
        stimulus=form.stimulus,
        reading=form.reading,
        reference=form.reference,
        seen_uid=form.seen_uid,
        reason=PointReason(form.reason) if form.reason else None,
    )
    try:
        take_point(database, calibration_uid, new)
    except EntryError as error:
        return _show(
            request, pages, look_at_calibration(database, calibration_uid), state.with_error(error), 422, place=place
        )
    except StaleFormError as error:
        kept = {name: state.values.get(name, "") for name in ("stimulus", "reading", "reference")}
        stale = FormState(kept, {"reading": str(error)})
        return _show(request, pages, look_at_calibration(database, calibration_uid), stale, 409, place=place)
    return go_to(request.url_for("calibration", uid=uid))


@router.post("/calibrations/{uid}/points/{place}/line", dependencies=[MEASURE], name="leave_out")
def post_leave_out(
    request: Request, database: DatabaseDep, pages: PagesDep, *, uid: str, place: int, posted: FormDep
) -> Response:
    """Leave a point out of the line, with the reason, or take it in again."""
    calibration_uid = uid_or_missing("calibration", uid)
    form, state = read_form(LeaveOutForm, posted.values)
    if form is None:
        return _show(request, pages, look_at_calibration(database, calibration_uid), state, 422)
    leave_out(database, calibration_uid, place, form.why, form.seen_uid)
    return go_to(str(request.url_for("calibration", uid=uid)) + "#points")


@router.post("/calibrations/{uid}/sign", dependencies=[SIGN], name="sign_calibration")
def post_sign(request: Request, database: DatabaseDep, pages: PagesDep, uid: str, posted: FormDep) -> Response:
    """Sign what was calibrated; nothing of it changes afterwards."""
    calibration_uid = uid_or_missing("calibration", uid)
    form, state = read_form(SignForm, posted.values)
    try:
        if form is None or form.technician_uid is None:
            raise EntryError("technician_uid", "", "Choose who signs.")
        sign(database, calibration_uid, form.technician_uid, form.remark)
    except EntryError as error:
        return _show(request, pages, look_at_calibration(database, calibration_uid), state.with_error(error), 422)
    return go_to(request.url_for("calibration", uid=uid))


@router.post("/calibrations/{uid}/supersede", dependencies=[SIGN], name="supersede_calibration")
def post_supersede(request: Request, database: DatabaseDep, uid: str, _posted: FormDep) -> Response:
    """Begin a calibration that takes a signed one's place."""
    made = supersede(database, uid_or_missing("calibration", uid))
    return go_to(request.url_for("calibration", uid=made.uid))


@router.get("/calibrations/{uid}/points.csv", dependencies=[LOOK], name="calibration_csv")
def points_csv(database: DatabaseDep, uid: str) -> Response:
    """The points as a table."""
    view = look_at_calibration(database, uid_or_missing("calibration", uid))
    return Response(
        _csv(view),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="calibration-{_short(view.calibration.uid)}.csv"'},
    )


def _short(uid: UUID) -> str:
    return str(uid)[:8]


def _csv(view: CalibrationView) -> str:
    """Every point that counts, in fixed units, with its error and uncertainty."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(
        ("point", "run", "stimulus", "reading", "reference_v", "value", "error", "error_pct_span", "expanded_u", "mark",
         "left_out", "taken_at")
    )  # fmt: skip
    for kept, found in zip(view.calibration.current, view.result.points, strict=True):
        writer.writerow(
            (kept.place + 1, kept.run, kept.stimulus, kept.reading, kept.reference_v, found.value, found.error,
             found.error_pct, found.expanded_u, found.mark, inert(kept.left_out), utc(kept.taken_at))
        )  # fmt: skip
    return out.getvalue()
