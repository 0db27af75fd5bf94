"""From data and page setup to pages: display lists with exact coordinates.

Reading order, each using those before it: `geometry`, `text` (shaping), `context`, `graphics` (display lists,
pictures), `inline` (texts in cells and paragraphs), `chart`, `table`, `flow` (blocks down the pages), `page` (whole
pages).
"""
