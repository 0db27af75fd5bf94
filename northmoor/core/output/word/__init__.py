"""A document to edit, by python-docx: `writer` (headings, paragraphs, lists, tables, pictures)."""
