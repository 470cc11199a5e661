"""Testing one circuit: what can be done, in what order, what it says, and what follows.

`actions` (the only list of what can be done), `case` (what was read so far), `sequence` (order and safety), `judgement`
(one reading), `test_points` and `reasoning` (the case in the words of the diagnosis, and back), `healthy` (what good circuits
read), `assessment` (marks and verdict).
"""
