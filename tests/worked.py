"""A simulated vehicle worked through to a verdict, check by check."""

from irongauge.core.diagnosis.session import Session
from irongauge.core.diagnosis.strategy import role_points_of, stand
from irongauge.instruments.simulated import SimulatedVehicle


def worked(subject, fault, seed):
    """A whole session: the best check and its answer, until the answer stands."""
    vehicle, session, role_points = SimulatedVehicle(subject, fault, seed), Session(subject), role_points_of(subject)
    now = stand(session, role_points)
    for _ in range(16):
        if not now.choices:
            break
        role_point = now.choices[0].role_point
        session.update(role_point, vehicle.ask(role_point), confirmed=role_point in session.taken)
        now = stand(session, role_points, role_point)
    return now
