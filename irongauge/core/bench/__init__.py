"""Testing one circuit: what can be done, in what order, what it says, and what follows.

`actions` (the only list of what can be done), `case` (what was read so far), `sequence` (order and safety), `judgement`
(one reading), `wiring` and `reasoning` (the case in the words of the diagnosis, and back), `diagnosed` (what then can be said,
as data), `healthy` (what good circuits read), `assessment` (marks and verdict).
"""
