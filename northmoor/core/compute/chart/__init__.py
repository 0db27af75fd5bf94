"""From rows and a chart block to `ChartData`: `evaluation`; `reduction` (lines of fewer points); `borrowed_groups`,
charts of a table's own groups.
"""
