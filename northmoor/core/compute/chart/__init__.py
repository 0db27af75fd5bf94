"""From rows and a chart block to `ChartData`: `evaluation`; `borrowed_groups`, charts of a table's own groups."""
