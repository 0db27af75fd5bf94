"""From checked SQL and bound values to streams of Arrow batches, read-only.

Reading order: `protocol` (what a driver does), `catalog`, `reflection`, `read_only` (the guard) with `syntax_faults`,
`credentials`, `server`, `own_thread`; `sqlite`, `postgresql` with `postgresql_rows`, `mariadb`.
"""
