"""Pulses of frequency sensors: waveforms, rings and road speed.

`waveform` (levels and edges), `train` (periods), `ring` (teeth), `findings` (rules), `examination` (all of a capture),
`stretch` (what is drawn), `rolling` (teeth, axle, tyre, speed), `ratio` and `track` (road speed), `signal_parts` (principle, gap,
fuel, bus), `record`.
"""
