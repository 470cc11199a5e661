"""A technician's steps as an iCalendar file (RFC 5545), for any calendar."""

from __future__ import annotations

from datetime import UTC

from icalendar import Calendar, Event

from irongauge.workflows.work.work_list import WorkView

__all__ = ["calendar_of"]


def calendar_of(view: WorkView, technician: str) -> bytes:
    """The steps of one technician; a step keeps its identity when its time changes, so that a calendar moves it."""
    calendar = Calendar()
    calendar.add("prodid", "-//Iron Gauge//work//EN")
    calendar.add("version", "2.0")
    for planned in view.steps_of(technician):
        step, event = planned.step, Event()
        event.add("uid", f"{step.key}@iron-gauge")
        event.add("dtstamp", view.start.astimezone(UTC))
        event.add("dtstart", view.at(planned.start).astimezone(UTC))
        event.add("dtend", view.at(planned.end).astimezone(UTC))
        event.add("summary", f"{view.tag(step.vehicle)}: {step.title}")
        told = [
            f"State: {step.state}",
            *([f"Tools: {', '.join(sorted(step.tools))}"] if step.tools else []),
            step.caution,
        ]
        event.add("description", "\n".join(text for text in told if text))
        calendar.add_component(event)
    return bytes(calendar.to_ical())
