"""Captures of a sensor's pulses and their samples, and the checks that are kept with a circuit."""
