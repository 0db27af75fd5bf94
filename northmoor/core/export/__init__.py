"""What is handed out: `document_files` (a document in each format), `row_files` (rows as CSV or Parquet), and
`spreadsheet_text` (values for the clipboard)."""
