"""Stand-ins for what is outside: a simulated vehicle that answers every check as a real one would."""

from irongauge.instruments.simulated import SimulatedVehicle, read_slot

__all__ = ["SimulatedVehicle", "read_slot"]
