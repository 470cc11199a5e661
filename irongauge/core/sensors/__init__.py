"""Sensors: their families, what is on their cards, and their curves.

`families`, `circuits` (what is under test), `transfer` and `thermistor` (curves), `conversion` (a curve both ways, in any unit),
`plausibility` (second thoughts about a card), `choosing` (a sensor for a need).
"""
