"""Calibrating a sensor, controller figures, entries read back."""
