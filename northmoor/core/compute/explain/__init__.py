"""Independent verification: one figure recomputed with one plain SQL statement over the fetched rows, sharing no code
with the grouping. `table_query` for tables and texts, `crosstab_query` for matrices and charts.
"""
