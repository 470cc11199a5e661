"""Forms of live data: a way onto a bus, what is watched, codes off a handheld reader."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated
from uuid import UUID, uuid4

from irongauge.core.live.codes import CodesWhen
from irongauge.core.live.record import BusPort, Watched
from irongauge.core.live.watching import LiveChannel
from irongauge.core.measure.entry import parse_plain_number
from irongauge.core.measure.quantities import Limits
from irongauge.core.shop import Shop
from irongauge.errors import EntryError
from irongauge.web.forms import OptionalUid, PostedForm, choice, number, optional_number, text
from irongauge.web.live.page import from_shown
from irongauge.workflows.live.watching import INTERFACES

__all__ = ["CodesForm", "PortForm", "PostedTo", "port_from", "watched_from"]

_ENDS = Limits(-1e6, 1e6)  # no channel shows more
_SIMULATED = "virtual"


class PostedTo(PostedForm):
    """A form that only says who does it, with an identity of its own."""

    uid: OptionalUid = None
    technician_uid: OptionalUid = None


class PortForm(PostedForm):
    """A port to a vehicle's bus."""

    name: Annotated[str, text(60, what="what the shop calls it")]
    interface: Annotated[str, choice(*INTERFACES)]
    channel: Annotated[str, text(60, what="its channel", needed=False)] = ""
    bitrate: Annotated[float, number(10_000, 8_000_000, what="bits a second")] = 500_000
    vehicle_uid: OptionalUid = None


class CodesForm(PostedForm):
    """Codes as they are read off."""

    uid: OptionalUid = None
    technician_uid: OptionalUid = None
    stored: str = ""
    pending: str = ""
    when: Annotated[str, choice(*CodesWhen)] = CodesWhen.READ
    driven_km: Annotated[float | None, optional_number(0, 1e6, what="km")] = None


def port_from(form: PortForm, uid: UUID | None, frames_name: str, frames: bytes) -> BusPort:
    """The port that a form describes; a simulated one needs no channel."""
    is_simulated = form.interface == _SIMULATED
    if not is_simulated and not form.channel:
        do = "Such as can0; a network interface of this machine lists them."
        raise EntryError("channel", "", "It is not said where the bus is.", do)
    return BusPort(
        uid=uid or uuid4(),
        name=form.name,
        interface=form.interface,
        channel=form.channel or "simulated",
        bitrate=round(form.bitrate),
        vehicle_uid=form.vehicle_uid,
        frames_name=frames_name,
        frames=frames,
        is_simulated=is_simulated,
    )


def watched_from(posted: Mapping[str, str], channels: tuple[LiveChannel, ...], shop: Shop) -> list[Watched]:
    """The ticked channels with their bands, which are typed in the unit that is shown."""
    found = []
    for channel in channels:
        if posted.get(f"watch:{channel.name}"):
            ends = [_end(posted, side, channel, shop) for side in ("below", "above")]
            found.append(Watched(channel.name, *ends))
    return found


def _end(posted: Mapping[str, str], side: str, channel: LiveChannel, shop: Shop) -> float | None:
    typed = posted.get(f"{side}:{channel.name}", "").strip()
    if not typed:
        return None
    what = f"an end of the band of {channel.name}, in the unit that is shown"
    return from_shown(channel, parse_plain_number(typed, field="channels", limits=_ENDS, what=what), shop)
