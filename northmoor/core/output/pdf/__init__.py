"""From pages to a PDF file, page by page.

Reading order: `writer`, `content_streams`, `font_embedding`, `destinations`, `outline`, `file_structure`.
"""
