"""Model-based diagnosis: which fault explains the readings, and which reading would tell the most.

`subject` says what is known of a circuit, `catalogue` which faults there are and what each changes, `electrical` and
`reluctance` what every check would then read, `session` weighs the readings.

Nothing is imported here: `faults` and `subject` are asked for where NumPy must not be loaded yet.
"""
