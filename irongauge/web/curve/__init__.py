"""The Curve room: calibration, controller figures, conversion, choosing, comparing."""
