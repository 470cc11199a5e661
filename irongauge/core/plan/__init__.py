"""Planning before wiring: what is wired where, what still fits, and what it must carry.

`modules` are what reads and drives; `board` says what stands on each of their pins and what is wrong there; `room` finds the
fewest moves that free inputs; `places` follows a value to everything that uses it; `rails` adds up references; `power` sizes
fuses and wires; `harness` is the wiring as a graph, `cutting` the lengths to cut, `marrying` two connectors put together,
`joints` how ends are joined, `chain` a signal from stage to stage.
"""
