"""From the rows of a signal log to spans of time and to what signals measured in them.

Reading order: `bounds` (the period and what is selected), `conditions`, `clock_changes`, `series` (readings in order
of time, each with how long it is known), `crossings` (when the sides of a comparison meet), `spans`; `windows` (over
what is measured), `pieces` (a series cut at windows), `statistics`, `recorded`, `line_outline` (fewer readings, for
lines); `results`, tables of rows.
"""
