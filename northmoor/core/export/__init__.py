"""What is handed out: `document_files` (a document in each format), `option_texts` (its choices as they are typed),
`printing`, `row_files` (rows as open data), and `spreadsheet_text` and `clipboard_formats` (values for the clipboard).
"""
