"""Who may use each route, written by hand: what the routes themselves say is held against it.

`None` is open to who has not come in: the ways in themselves, and the link that a customer was given.
"""

from irongauge.core.people.roles import Deed

_BY_DEED = {
    None: """
        GET /healthz /readyz /metrics /authority.pem /sign-in /first-foreman /sheet/{token} /check
        POST /first /sign-in /sign-in/number /first-foreman /check
    """,
    Deed.OWN: """
        GET /me
        POST /me/password /me/number /me/devices/{uid}/revoke /me/programs /me/programs/{uid}/revoke /sign-out
            /me/switch
    """,
    Deed.LOOK: """
        GET / /api/v1/openapi.json /shelf/shop/logo
            /vehicles/new /jobs/new /jobs/{uid} /jobs/{uid}/circuits/new /circuits/{uid}/card
            /jobs/{uid}/export.json /jobs/{uid}/readings.csv /circuits/{uid}/bench /circuits/{uid}/bus
            /circuits/{uid}/reader /jobs/{uid}/handover /shelf /shelf/instruments/new
            /shelf/instruments/{uid}/edit /shelf/sensor-types/new /shelf/sensor-types/{uid}/edit
            /shelf/sensor-types/{uid}/curve.csv /api/v1/jobs /api/v1/shelf /api/v1/jobs/{uid}
            /api/v1/circuits/{uid} /api/v1/circuits/{uid}/readings /api/v1/circuits/{uid}/verdict
            /api/v1/captures /api/v1/captures/{uid} /api/v1/circuits/{uid}/pulses /api/v1/module-types
            /api/v1/vehicles/{uid}/plan /api/v1/jobs/{uid}/kit /api/v1/plan/session
            /api/v1/vehicles/{uid}/session /api/v1/vehicles/{uid}/logs /api/v1/logs/{uid}
            /api/v1/logs/{uid}/standings /api/v1/vehicles/{uid}/normals /api/v1/vehicles/{uid}/live
            /api/v1/jobs/{uid}/codes /curve /calibrations/new /calibrations/{uid}
            /calibrations/{uid}/certificate /calibrations/{uid}/points.csv /curve/convert /curve/choose
            /curve/numbers /curve/numbers/slip /curve/numbers.json /curve/numbers.csv /curve/check
            /curve/compare /curve/thermocouple /pulse /pulse/speed /pulse/principle /pulse/gap /pulse/fuel
            /pulse/bus /pulse/waveform /pulse/captures/{uid} /pulse/captures/{uid}/stretch
            /pulse/captures/{uid}/samples.csv /plan /vehicles/{uid} /pictures/{uid} /vehicles/{uid}/inputs
            /vehicles/{uid}/wiring /vehicles/{uid}/wiring/{kind}.csv /vehicles/{uid}/power /jobs/{uid}/kit
            /vehicles/{uid}/joints /shelf/modules /shelf/modules/new /shelf/modules/{uid}/edit
            /shelf/modules/{uid}/pins.csv /work /vehicles/{uid}/work /work/{technician_uid}.ics /trace
            /trace/logs/{uid} /trace/logs/{uid}/state /trace/logs/{uid}/stretch /trace/logs/{uid}/peaks
            /trace/rules /vehicles/{uid}/normals /trace/live /trace/live/{uid}/events /jobs/{uid}/codes
            /guide /guide/{page} /guide/pictures/{file}
            /shelf/shop /jobs/{uid}/sheet.pdf /jobs/{uid}/sheets/{revision}.pdf
        POST /shelf/sensor-types/look /jobs/{uid}/circuits/look
            /api/v1/curves/thermocouple /api/v1/curves/evaluate /api/v1/curves/fit
            /api/v1/curves/forms /api/v1/curves/check-entry /api/v1/curves/compare /api/v1/pulse/relate
            /api/v1/pulse/ratio /api/v1/pulse/analyse /api/v1/pulse/principle /api/v1/pulse/pull-up
            /api/v1/pulse/air-gap /api/v1/pulse/fuel /api/v1/pulse/bus /api/v1/diagnose /api/v1/plan/board
            /api/v1/plan/room /api/v1/plan/reference /api/v1/plan/feed /api/v1/plan/harness /api/v1/plan/cut
            /api/v1/plan/connectors /api/v1/plan/joint /api/v1/plan/return /api/v1/plan/chain
            /api/v1/plan/session /api/v1/traces/rule /pulse/speed/track
    """,
    Deed.MEASURE: """
        POST /pulse /pulse/speed /pulse/principle /pulse/gap /pulse/fuel /pulse/bus /jobs/{uid}/remarks/{remark_uid}/answer
            /circuits/{uid}/simulate /circuits/{uid}/practise-again /circuits/{uid}/readings/{reading_uid}/back
            /circuits/{uid}/readings /circuits/{uid}/not-shown /circuits/{uid}/reader
            /circuits/{uid}/cannot-be-read /circuits/{uid}/can-be-read
            /api/v1/circuits/{uid}/readings /api/v1/captures /api/v1/kit/{uid}/tick /api/v1/vehicles/{uid}/logs
            /api/v1/logs/{uid}/channels /api/v1/logs/{uid}/well /api/v1/vehicles/{uid}/live/recording
            /api/v1/jobs/{uid}/codes /calibrations /calibrations/{uid}/points
            /calibrations/{uid}/points/{place}/line /curve/check /circuits/{uid}/entries/forget /curve/compare
            /pulse/captures /pulse/captures/simulated /pulse/captures/{uid}/look /pulse/captures/{uid}/keep
            /vehicles/{uid}/notes /vehicles/{uid}/pictures /vehicles/{uid}/places/{place_uid}/tick
            /kit/{uid}/tick /vehicles/{uid}/trials /work/status /trace/logs /trace/logs/{uid}/channel
            /trace/logs/{uid}/times /vehicles/{uid}/engines
            /trace/logs/{uid}/well /vehicles/{uid}/normals /trace/live/{uid}/plug /trace/live/{uid}/watch /trace/live/{uid}/record
            /trace/live/{uid}/end /jobs/{uid}/codes/ask /jobs/{uid}/codes /api/v1/vehicles/{uid}/trials
            /api/v1/jobs/{uid}/codes/ask
        DELETE /api/v1/vehicles/{uid}/live/recording
    """,
    Deed.ARRANGE: """
        POST /vehicles /jobs /jobs/import /jobs/{uid}/circuits /circuits/{uid}/card /shelf/instruments
            /circuits/{uid}/keep-input /circuits/{uid}/usual-meter
            /shelf/instruments/{uid} /shelf/sensor-types /shelf/sensor-types/{uid} /api/v1/vehicles /api/v1/jobs
            /api/v1/jobs/import /api/v1/jobs/{uid}/circuits /api/v1/jobs/{uid}/kit /pulse/captures/{uid}/remove
            /vehicles/{uid} /jobs/{uid}/promise /pictures/{uid}/remove /circuits/{uid}/retire
            /vehicles/{uid}/modules /vehicles/{uid}/modules/{module_uid}/remove /vehicles/{uid}/functions
            /vehicles/{uid}/functions/of-circuit /vehicles/{uid}/assign /vehicles/{uid}/places
            /vehicles/{uid}/functions/{function_uid}/remove /vehicles/{uid}/room /vehicles/{uid}/wiring
            /vehicles/{uid}/maps /vehicles/{uid}/power /vehicles/{uid}/power/{feed_uid}/remove /jobs/{uid}/kit
            /kit/{uid}/remove /shelf/modules /shelf/modules/{uid} /work/pin /work/steps /work/before
            /vehicles/{uid}/work/covers /work/remove /work/first /work/better /trace/logs/{uid}/remove
            /vehicles/{uid}/engines/{fitting_uid}/remove
            /vehicles/{uid}/normals/{reading_uid}/remove
            /trace/rules /trace/rules/{uid}/remove /trace/live/ports /trace/live/{uid}/port
            /trace/live/{uid}/remove
        PUT /api/v1/circuits/{uid}/reader /api/v1/module-types/{uid} /api/v1/vehicles/{uid}/harness
            /api/v1/vehicles/{uid}/modules/{module_uid} /api/v1/vehicles/{uid}/functions/{function_uid}
            /api/v1/vehicles/{uid}/feeds/{feed_uid}
        DELETE /api/v1/vehicles/{uid}/modules/{module_uid} /api/v1/vehicles/{uid}/functions/{function_uid}
            /api/v1/vehicles/{uid}/feeds/{feed_uid} /api/v1/kit/{uid}
    """,
    Deed.SIGN: """
        POST /calibrations/{uid}/sign /calibrations/{uid}/supersede
    """,
    Deed.HAND_OVER: """
        POST /jobs/{uid}/handover /jobs/{uid}/reopen /jobs/{uid}/send-back /jobs/{uid}/links /jobs/{uid}/links/{link_uid}/revoke
    """,
    Deed.RUN: """
        GET /people /record /record.{kind}
        POST /shelf/shop /shelf/shop/logo /work/hours /work/tools /people /people/tablet-code /people/{uid}
            /people/{uid}/invite
            /people/devices/{uid}/revoke /people/programs/{uid}/revoke
    """,
}


def _allowed():
    found = {}
    for deed, listed in _BY_DEED.items():
        method = ""
        for word in listed.split():
            if not word.startswith("/"):
                method = word
            else:
                assert found.setdefault(f"{method} {word}", deed) is deed, word
    return found


ALLOWED = _allowed()  # such as "POST /jobs/{uid}/handover"
