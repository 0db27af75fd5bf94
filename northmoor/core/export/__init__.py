"""Files handed out: `document_files` (a document in each format) and `row_files` (rows as CSV or Parquet)."""
