"""The Job: a vehicle's circuits, and the form of a circuit."""
