"""Records of drives as loggers and satellite receivers write them."""

from __future__ import annotations

import numpy as np
import pytest

from irongauge.errors import BadFileError
from irongauge.formats.drive_log import read_drive

START = "2026-11-20T09:00:00Z"


def gpx(seconds=120, metres_per_s=15.0):
    points = "".join(
        f'<trkpt lat="{54 + at * metres_per_s / 111_194.9:.8f}" lon="-3.2"><time>2026-11-20T09:{at // 60:02d}:{at % 60:02d}Z'
        "</time></trkpt>"
        for at in range(seconds)
    )
    return f'<?xml version="1.0"?><gpx version="1.1" creator="a receiver"><trk><trkseg>{points}</trkseg></trk></gpx>'


def _rows(line, count=60):
    return "\n".join(line(at) for at in range(count))


READ = [
    ("a track", gpx(), 54.0, True),
    ("seconds and km/h", "time (s),speed (km/h)\n" + _rows(lambda t: f"{t * 0.5},{48.3}"), 48.3, False),
    ("milliseconds and mph", "time (ms);speed (mph)\n" + _rows(lambda t: f"{t * 500};{30}"), 48.28032, False),
    ("decimal commas", "Zeit;Speed [m/s]\n" + _rows(lambda t: f"{t},5;{10},0"), 36.0, False),
    ("clock of the day", "Time\tVehicle speed\n" + _rows(lambda t: f"9:{t // 60:02d}:{t % 60:02d}.5\t50"), 50.0, False),
    ("date and time", "timestamp,speed\n" + _rows(lambda t: f"2026-11-20T09:00:{t:02d}Z,61"), 61.0, True),
    ("places", "time,lat,lon\n" + _rows(lambda t: f"{t},{54 + t * 10 / 111_194.9:.8f},-3.2"), 36.0, False),
    ("knots", "time,SOG (kn)\n" + _rows(lambda t: f"{t},20"), 37.04, False),
    ("knots in words", "time;speed knots\n" + _rows(lambda t: f"{t};10"), 18.52, False),
    ("lines before the heading", "Log of D-3\n\ntime,speed\n" + _rows(lambda t: f"{t},20"), 20.0, False),
]


@pytest.mark.parametrize(("text", "kmh", "has_clock"), [r[1:] for r in READ], ids=[r[0] for r in READ])
def test_a_drive_is_read(text, kmh, has_clock):
    track = read_drive("drive", text.encode())
    assert track.speed_kmh == pytest.approx(np.full(len(track.time_s), kmh), rel=1e-4)
    assert (np.diff(track.time_s) > 0).all()
    assert track.has_clock is has_clock


BAD = [
    ("nothing", "", "No line of it names its columns"),
    ("no heading", _rows(lambda t: f"{t},30"), "No line of it names its columns"),
    ("an unknown unit", "time,speed (furlongs)\n" + _rows(lambda t: f"{t},30"), "unit that is not known here"),
    ("too short", "time,speed\n0,1\n1,2", "It has 2 timed rows"),
    ("a word", "time,speed\n" + _rows(lambda t: f"{t},{'fast' if t == 7 else 30}"), "Row 9 has “fast”"),
    ("a bad time", "time,speed\n" + _rows(lambda t: f"2026-99-{t},30"), "Row 2 has “2026-99-0” where a time"),
    ("time stands", "time,speed\n" + _rows(lambda _: "5,30"), "times do not rise"),
    ("no number", "time,speed\n" + _rows(lambda t: f"{t},nan"), "not numbers"),
    ("no track", "<?xml version='1.0'?><svg/>", "timed rows|not GPX"),
    ("broken off", gpx()[:2000], "not GPX that can be read"),
    ("entities", "<?xml version='1.0'?><!DOCTYPE g [<!ENTITY a 'b'>]><gpx/>", "declares entities"),
    ("times beyond all time", "time,speed\n" + _rows(lambda t: f"{t}e300,30"), "Its times go to"),
    ("no such place", "time,lat,lon\n" + _rows(lambda t: f"{t},95.{t},7"), "latitude beyond 90"),
    (
        "decimal commas between commas",
        "time,speed\n" + _rows(lambda t: f"{t},5,30,0"),
        "commas both between and inside",
    ),
    ("no text", "time,speed\n\0\0\0", "It is not text"),
]


@pytest.mark.parametrize(("text", "says"), [b[1:] for b in BAD], ids=[b[0] for b in BAD])
def test_what_is_no_drive_is_refused_with_the_reason(text, says):
    with pytest.raises(BadFileError, match=says):
        read_drive("drive.csv", text.encode())


def test_the_same_moment_twice_counts_once_and_going_back_not_at_all():
    rows = "time,speed\n" + _rows(lambda t: f"{t // 2},30", 80) + "\n3,99\n41,30"
    track = read_drive("drive.csv", rows.encode())
    assert len(track.time_s) == 41
    assert track.speed_kmh.max() == 30
