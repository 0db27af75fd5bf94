"""From rows and a matrix block to `CrosstabData`: two sides of groups and the values where they cross.

Reading order: `evaluation`, `group_axes`, `preaggregation`, `cell_values`; `chart_data` holds a chart's, which is a
crosstab.
"""
