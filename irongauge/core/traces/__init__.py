"""Recorded logs: what their channels are, what is wrong in them, and what is usual for a vehicle."""
