"""Model-based diagnosis: which fault explains the readings, and which reading would tell the most.

`circuit_under_test` says what is known of a circuit, `catalogue` which faults it can have, `changes` what each changes in its
`parameters`, `electrical`, `reluctance` and `thermocouple` what every check would then read, `session` weighs the readings.

Nothing is imported here: `faults` and `circuit_under_test` are asked for where NumPy must not be loaded yet.
"""
