"""From pages to a PDF file, page by page.

Reading order: `writer`, `record_files` (a file for each of many records), `content_streams`, `font_embedding`,
`destinations`, `outline`, `file_structure`, `deflate_streams`; of tagged files `page_tags` (what the parts of a page
are), `table_tags`, `list_tags`, `structure_tree`; `xmp`; `archival`, of files to be kept; `protection` by a password;
and `imposition`, several pages on a sheet.
"""
