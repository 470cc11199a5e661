"""A simulated vehicle worked through to a verdict, check by check."""

from irongauge.core.diagnosis.session import Session
from irongauge.core.diagnosis.strategy import checks_of, stand
from irongauge.instruments.simulated import SimulatedVehicle


def worked(subject, fault, seed):
    """A whole session: the best check and its answer, until the answer stands."""
    vehicle, session, checks = SimulatedVehicle(subject, fault, seed), Session(subject), checks_of(subject)
    now = stand(session, checks)
    for _ in range(16):
        if not now.choices:
            break
        check = now.choices[0].check
        session.update(check, vehicle.ask(check), confirmed=check in session.taken)
        now = stand(session, checks, check)
    return now
