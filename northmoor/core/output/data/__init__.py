"""Rows as open data: `writer` (files of each format), `cells` (cells of tables, matrices and charts as columns, keys
and totals marked) and `table_files` (CSV, TSV, JSON lines, Parquet, Arrow, OpenDocument)."""
