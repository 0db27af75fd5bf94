"""Looking at rows without changing the report: `quick_filter`, `profile` of each column with its `outliers` and
`written_forms`, `crosscheck` of totals."""
