"""The embedded engine over Arrow tables, closed to files, network and settings.

`embedded` (DuckDB), `arrow_types` (value types and Arrow's), `rows` (a query's result),
`binding` (the type of an expression before there are rows).
"""
