"""Measuring: quantities and units, what a person typed, uncertainty, and the two sums everything rests on.

`quantities`, `units`, `uncertainty`, `entry`; `interpolation` between points, `line` through them.
"""
