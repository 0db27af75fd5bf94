"""Looking at rows without changing the report: `quick_filter`, `profile` of each column, `crosscheck` of totals."""
