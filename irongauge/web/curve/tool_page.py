"""What every tool of the Curve room shares: what it works on, what that can be chosen from, and its page."""

from __future__ import annotations

from typing import Any, TypeVar
from uuid import UUID

from starlette.requests import Request
from starlette.responses import Response

from irongauge.core.calibration.record import Calibration
from irongauge.core.measure.units import units_of
from irongauge.errors import EntryError
from irongauge.store.database import Database
from irongauge.web.curve.forms import NumbersForm, Surroundings, scale_from
from irongauge.web.deps import uid_or_missing
from irongauge.web.forms import FormState, PostedForm, read_form
from irongauge.web.navigation import last_circuit, way_back
from irongauge.web.pages import Pages
from irongauge.workflows.curve.controllers import ToolSubject, look_at_subject

__all__ = ["back_of", "read_tool", "source_of", "subject_of", "tool_page", "typed_of", "with_scale"]

Model = TypeVar("Model", bound=PostedForm)


def subject_of(request: Request, database: Database, typed: dict[str, str], *, may_start: bool = True) -> ToolSubject:
    """What the page's fields choose, else what is worked on. `source` is `sensor:…`, `circuit:…` or `calibration:…`."""
    chosen = dict(typed)
    what, _, uid = typed.get("source", "").partition(":")
    if what in {"sensor", "circuit", "calibration"}:
        chosen = {**dict.fromkeys(("sensor", "circuit", "calibration"), ""), what: uid}

    def named(name: str) -> UUID | None:
        return uid_or_missing(name, chosen[name]) if chosen.get(name) else None

    return look_at_subject(
        database,
        circuit_uid=named("circuit"),
        sensor_uid=named("sensor"),
        calibration_uid=named("calibration"),
        channel=typed.get("channel", ""),
        near_uid=last_circuit(request),
        may_start=may_start,
    )


def source_of(subject: ToolSubject) -> str:
    """How an address names what a tool was opened for."""
    if subject.calibration is not None:
        return f"calibration:{subject.calibration.uid}"
    if subject.circuit is not None:
        return f"circuit:{subject.circuit.uid}"
    return "" if subject.sensor is None else f"sensor:{subject.sensor.uid}"


def _sources(subject: ToolSubject) -> list[tuple[str, list[tuple[str, str]]]]:
    """What may be chosen, in groups: circuits of open jobs, this sensor's calibrations, types of the Shelf."""
    groups = [("In a job", [(f"circuit:{c.uid}", f"{j.vehicle.tag} {c.name}, nominal") for j, c in subject.circuits])]
    calibrated = [(f"calibration:{c.uid}", _calibration_name(c, subject)) for c in subject.calibrations if c.signed_at]
    if subject.calibration is not None and subject.calibration.signed_at is None:
        calibrated.insert(0, (source_of(subject), _calibration_name(subject.calibration, subject)))
    shelf = [(f"sensor:{s.uid}", f"{s.name}, nominal") for s in subject.shelf]
    if subject.circuit is not None and all(c.uid != subject.circuit.uid for _, c in subject.circuits):
        groups[0][1].append((f"circuit:{subject.circuit.uid}", f"{subject.circuit.name}, nominal"))
    if (
        subject.sensor is not None
        and subject.calibration is None
        and all(s.uid != subject.sensor.uid for s in subject.shelf)
    ):
        shelf.append((f"sensor:{subject.sensor.uid}", f"{subject.sensor.name}, earlier data"))
    return [
        (name, options) for name, options in [("Calibrated", calibrated), *groups, ("On the Shelf", shelf)] if options
    ]


def _calibration_name(calibration: Calibration, subject: ToolSubject) -> str:
    where = subject.circuit.name if subject.circuit is not None else calibration.sensor.name
    day = calibration.started_at.date()
    return f"{where}, {calibration.setup.stage} {day.day} {day:%b %Y}" + ("" if calibration.signed_at else " (open)")


def typed_of(request: Request) -> dict[str, str]:
    """What was typed in a tool's fields."""
    return {name: value[:20_000] for name, value in request.query_params.items()}


def tool_page(
    request: Request,
    pages: Pages,
    template: str,
    *,
    subject: ToolSubject,
    state: FormState,
    status: int = 200,
    **values: Any,
) -> Response:
    """A tool's page with its answer beside the form."""
    state = FormState({**state.values, "source": source_of(subject), "channel": _channel(subject)}, state.errors)
    curve = None if subject.channel is None else subject.channel.curve
    return pages.render(
        request,
        template,
        status,
        subject=subject,
        state=state,
        sources=_sources(subject),
        kind=None if curve is None else curve.kind,
        units=() if curve is None else units_of(curve.quantity),
        back=way_back(state.values.get("back", "")),
        **values,
    )


def back_of(typed: dict[str, str]) -> dict[str, str]:
    """The way back as a field of an address; empty where it would lead out of the shop."""
    return {"back": typed["back"]} if way_back(typed.get("back", "")) else {}


def _channel(subject: ToolSubject) -> str:
    return "" if subject.channel is None else subject.channel.name


def read_tool(model: type[Model], typed: dict[str, str]) -> tuple[Model | None, FormState]:
    """A tool's form, read."""
    return read_form(model, {k: v for k, v in typed.items() if k not in {"sensor", "circuit", "calibration"} or v})


def with_scale(subject: ToolSubject, form: NumbersForm | None, state: FormState) -> FormState:
    """The unit, base and decimals in force, in fields that were left to follow."""
    if subject.channel is None or form is None:
        return state
    try:
        scale = scale_from(form, subject.channel, Surroundings(subject.shop, subject.height_m))
    except EntryError:
        return state
    return FormState({**state.values, "unit": scale.unit, "base": scale.base or ""}, state.errors)
