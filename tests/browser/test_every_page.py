"""Every page, in both themes and at three widths: no accessibility violation, nothing cut off, nothing from elsewhere."""

import json
import urllib.request

import pytest

from irongauge.demo.shelf import uid_of


def _empty_job(desk):
    shelf = json.load(urllib.request.urlopen(f"{desk.address}/api/v1/shelf"))
    body = {
        "vehicle_uid": shelf["vehicles"][0]["uid"],
        "technician_uid": shelf["technicians"][0]["uid"],
        "title": "Everything about a name that is far longer than the space that anybody would have thought of for it",
        "received_on": "2026-11-25",
        "promised_on": "2026-11-25",
    }
    request = urllib.request.Request(
        f"{desk.address}/api/v1/jobs", json.dumps(body).encode(), {"Content-Type": "application/json"}
    )
    return f"/jobs/{json.load(urllib.request.urlopen(request))['uid']}"


def _record(desk, page, stage):
    desk.go(page)
    links = desk.links("/calibrations/")
    found = next(a for a in links if stage in str(a.get_attribute("textContent")))  # it may be folded away
    return str(found.get_attribute("href")).split(desk.address)[1]


def _capture(desk):
    desk.go("/pulse/waveform")
    return desk.links("/pulse/captures/")[0].get_attribute("href").split(desk.address)[1]


PAGES = {
    "floor": lambda _: "/",
    "job": lambda d: f"/jobs/{d.jobs['LT-7']['uid']}",
    "job without circuits": _empty_job,
    "bench, volts": lambda d: f"/circuits/{d.circuit('Brake line pressure')}/bench",
    "bench, lamp": lambda d: f"/circuits/{d.circuit('Boost pressure')}/bench?test=lamp_negative:1",
    "bench, stimulus": lambda d: f"/circuits/{d.circuit('Manifold absolute pressure')}/bench?test=mated_v:C:1",
    "bench, fault": lambda d: f"/circuits/{d.circuit('Blade tilt angle')}/bench",
    "bench, correction": lambda d: f"/circuits/{d.circuit('Winch oil pressure')}/bench?test=mated_v:2&why=mistyped",
    "bench, cannot tell": lambda d: f"/circuits/{d.circuit('Propeller shaft speed')}/bench",
    "bench, found": lambda d: f"/circuits/{d.circuit('Winch oil pressure')}/bench",
    "bench, two wires": lambda d: f"/circuits/{d.circuit('Coolant temperature')}/bench?test=mated_v:1:1&ahead=yes",
    "bench, coil": lambda d: f"/circuits/{d.circuit('Axle speed')}/bench?test=polarity",
    "bench, proved": lambda d: f"/circuits/{d.circuit('Throttle position')}/bench",
    "circuit card": lambda d: f"/circuits/{d.circuit('Throttle position')}/card",
    "new circuit": lambda d: f"/jobs/{d.jobs['LT-7']['uid']}/circuits/new",
    "handover, open": lambda d: f"/jobs/{d.jobs['LT-7']['uid']}/handover",
    "handover, ready": lambda d: f"/jobs/{d.jobs['D-3']['uid']}/handover",
    "handover, done": lambda d: f"/jobs/{d.jobs['P-2']['uid']}/handover",
    "shelf": lambda _: "/shelf",
    "oneself": lambda _: "/me",
    "people": lambda _: "/people",
    "record": lambda _: "/record",
    "who is there": lambda _: "/sign-in",
    "new sensor type": lambda _: "/shelf/sensor-types/new",
    "new instrument": lambda _: "/shelf/instruments/new",
    "units and limits": lambda _: "/shelf/shop",
    "new vehicle": lambda _: "/vehicles/new",
    "new job": lambda _: "/jobs/new",
    "curve": lambda _: "/curve",
    "new calibration": lambda d: f"/calibrations/new?circuit={d.circuit('Boost pressure')}",
    "calibration, open": lambda d: _record(d, "/curve", "as found"),
    "calibration, signed": lambda d: _record(d, f"/jobs/{d.jobs['P-2']['uid']}/handover", "as left"),
    "numbers": lambda d: f"/curve/numbers?source=circuit:{d.circuit('Boost pressure')}",
    "slip": lambda d: f"/curve/numbers/slip?source=circuit:{d.circuit('Boost pressure')}",
    "entry, wrong": lambda d: (
        f"/curve/check?source=circuit:{d.circuit('Boost pressure')}&unit=bar&end_points.reading_low=0.4"
        "&end_points.shown_low=20&end_points.reading_high=4.65&end_points.shown_high=250"
    ),
    "convert": lambda d: f"/curve/convert?source=circuit:{d.circuit('Boost pressure')}&reading=2.3&side=reading",
    "choose, a no": lambda _: "/curve/choose?quantity=pressure&base=gauge&least=0&greatest=1.6",
    "compare": lambda d: (
        f"/curve/compare?source=circuit:{d.circuit('Boost pressure')}"
        "&kind=manifold+against+barometer+at+key+on&first=1.06&second=1.012"
    ),
    "thermocouple": lambda _: "/curve/thermocouple?kind=K&cold=23&mv=20",
    "certificate": lambda d: f"{_record(d, '/curve', 'as found')}/certificate",
    "pulse, nothing typed": lambda _: "/pulse",
    "change a sensor type": lambda d: d.link("/shelf", "/sensor-types/"),
    "change an instrument": lambda d: d.link("/shelf", "/instruments/"),
    "pulse": lambda _: "/pulse?teeth=20&axle_ratio=4.3&tyre=0.72+m&speed=30&turns=10&seconds=9",
    "waveforms": lambda _: "/pulse/waveform",
    "waveform": _capture,
    "road speed": lambda d: (
        "/pulse/speed?pairs=50+55%0A80+88%0A100+110&old=1.2&old_is=teeth&teeth=20&after=55+55.1"
        f"&circuit_uid={d.circuit('Axle speed')}"
    ),
    "principle": lambda _: "/pulse/principle?wires=3&supply_v=12&low_v=1.2&high_v=11.8",
    "air gap": lambda _: "/pulse/gap?readings=1.5+1.6+1.4",
    "fuel sensor": lambda _: "/pulse/fuel?frequency_hz=112&pulse_ms=2.74",
    "bus channel": lambda _: "/pulse/bus?low_hz=20&high_hz=400&node=7&nodes=5,7",
    "guide": lambda _: "/guide",
    "guide, a page": lambda _: "/guide/bench",
    "guide, found": lambda _: "/guide?q=reference",
    "floor, stuck": lambda _: "/?which=stuck",
    "pulse, a contradiction": lambda _: "/pulse?teeth=20&axle_ratio=4.3&tyre=0.72+m&pulses=30000",
    "principle, two wires": lambda _: "/pulse/principle?wires=2&low_v=0.7&high_v=1.4",
    "air gap, an odd tooth": lambda _: "/pulse/gap?readings=1.0+1.0+1.0+1.5+1.0+1.0",
    "air gap, nothing typed": lambda _: "/pulse/gap",
    "road speed, nothing typed": lambda _: "/pulse/speed",
    "bus channel, drawn": lambda _: "/pulse/bus?low_hz=14&high_hz=600&frame_hz=5&pulses=4",
    "compare, two instruments": lambda _: "/curve/compare?first=30+psi&second=2.1+bar&known_to=1+kPa",
    "compare, a display": lambda _: "/curve/compare?kind=source+against+display&pairs=50+48%0A100+98%0A150+140",
    "choose, nothing typed": lambda _: "/curve/choose",
    "tool, with a way back": lambda d: (
        f"/curve/convert?source=circuit:{d.circuit('Boost pressure')}&back=/circuits/{d.circuit('Boost pressure')}/bench"
    ),
    "plan": lambda _: "/plan",
    "vehicle": lambda _: f"/vehicles/{uid_of('LT-7')}",
    "inputs": lambda _: f"/vehicles/{uid_of('LT-7')}/inputs?function={uid_of('function Boost pressure')}",
    "inputs, no module": lambda _: f"/vehicles/{uid_of('BOARD')}/inputs",
    "room": lambda _: (
        f"/vehicles/{uid_of('LT-7')}/inputs?count=1&want_kind=analogue&want_pull_up=either&want_name=Pump"
    ),
    "wiring, none": lambda _: f"/vehicles/{uid_of('P-2')}/wiring",
    "power, none": lambda _: f"/vehicles/{uid_of('P-2')}/power",
    "thermocouple, nothing typed": lambda _: "/curve/thermocouple",
    "wiring": lambda _: f"/vehicles/{uid_of('D-3')}/wiring",
    "power": lambda _: f"/vehicles/{uid_of('G-12')}/power?feed={uid_of('feed gauges')}",
    "order of the work": lambda _: f"/work?step={uid_of('P-2')}/added:{uid_of('step hose')}",
    "order of the work, a promise": lambda _: f"/work?why={uid_of('D-3')}",
    "order of the work, one vehicle": lambda _: f"/vehicles/{uid_of('LT-7')}/work",
    "logs": lambda _: "/trace",
    "log": lambda _: f"/trace/logs/{uid_of('log taxiway.csv')}?channel=6",
    "log, peaks": lambda _: f"/trace/logs/{uid_of('log slipway run.csv')}/peaks?place=6&above=300",
    "health rules": lambda _: "/trace/rules?when=oil+pressure+<+50+kPa",
    "normals": lambda _: f"/vehicles/{uid_of('P-2')}/normals",
    "normals, none": lambda _: f"/vehicles/{uid_of('LT-7')}/normals",
    "live": lambda _: "/trace/live",
    "live, of the board": lambda _: f"/trace/live?port={uid_of('plug BOARD')}",
    "trouble codes": lambda d: f"/jobs/{d.jobs['LT-7']['uid']}/codes",
    "trouble codes, handed over": lambda d: f"/jobs/{d.jobs['P-2']['uid']}/codes",
    "joints": lambda _: f"/vehicles/{uid_of('LT-7')}/joints?vibrates=yes&height_m=0.5",
    "kit": lambda d: f"/jobs/{d.jobs['LT-7']['uid']}/kit",
    "module types": lambda _: "/shelf/modules",
    "change a module type": lambda _: f"/shelf/modules/{uid_of('module Marram')}/edit",
    "practice, end": lambda d: f"/circuits/{d.circuit('Oil pressure')}/bench?hidden=show",
    "not found": lambda _: "/nothing",
}


# Fields in which nobody can read what is typed: a list of one letter is 60 px wide.
_SQUEEZED = """
const fields = [...document.querySelectorAll("main input, main select, main textarea")];
return fields
  .filter(e => !["checkbox", "radio"].includes(e.type) && e.checkVisibility() && e.getBoundingClientRect().width < 60)
  .map(e => e.id || e.name)
"""


@pytest.mark.parametrize("name", PAGES)
def test_a_page_is_accessible_in_both_themes_and_fits_every_width(looker, name):
    looker.go(PAGES[name](looker))
    assert looker.shown_theme() == "light"
    assert looker.violations() == []
    looker.turn_theme("dark")
    assert looker.violations("color-contrast") == [], "dark"
    for width, height in ((1280, 800), (1024, 768), (390, 844)):
        looker.size(width, height)
        overflow = looker.window.execute_script("return document.documentElement.scrollWidth - innerWidth")
        assert overflow <= 0, f"{overflow} px too wide at {width}"
        squeezed = looker.window.execute_script(_SQUEEZED)
        assert squeezed == [], f"at {width}"
    assert looker.violations() == [], "on a phone"
    loaded = looker.window.execute_script("return performance.getEntriesByType('resource').map(r => r.name)")
    assert [url for url in loaded if not url.startswith(looker.address)] == []
    if name != "not found":
        assert looker.complaints() == []


def test_touch_targets_of_the_bench_suit_a_thumb(looker):
    looker.size(1024, 768)
    looker.go(f"/circuits/{looker.circuit('Boost pressure')}/bench?test=lamp_negative:1")
    small = looker.window.execute_script(
        "return [...document.querySelectorAll('main button, main select, .top a, .top button, .line-go')]"
        ".filter(e => e.offsetParent && e.getBoundingClientRect().height < 44).map(e => e.outerHTML.slice(0, 80))"
    )
    assert small == []


def test_the_theme_follows_the_system_until_it_is_switched(looker):
    window = looker.window
    window.execute_script("localStorage.removeItem('theme')")
    for scheme in ("dark", "light"):
        window.execute_cdp_cmd(
            "Emulation.setEmulatedMedia", {"features": [{"name": "prefers-color-scheme", "value": scheme}]}
        )
        looker.go("/")
        assert window.execute_script("return document.documentElement.dataset.bsTheme") == scheme
    window.find_element("css selector", "[data-theme-switch]").click()
    looker.go("/shelf")
    assert window.execute_script("return document.documentElement.dataset.bsTheme") == "dark"
    window.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": []})
