"""Calibrating one sensor: `judging` its points, and the `record` that is kept and signed."""
