"""From `ChartData` and a rectangle to a drawn chart and the places of its marks.

Reading order: `layout`, `facets`, `scales`, `axes`, `plot_area`; the marks: `bars`, `lines`, `pie`, `ranges`;
`data_labels`, `legend`, `palette`; `in_cells`, charts in rows of tables.
"""
