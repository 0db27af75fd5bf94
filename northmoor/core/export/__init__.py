"""What is handed out: `document_files` (a document in each format), `option_texts` (its choices as they are typed),
`row_files` (rows as CSV or Parquet), and `spreadsheet_text` and `clipboard_formats` (values for the clipboard)."""
