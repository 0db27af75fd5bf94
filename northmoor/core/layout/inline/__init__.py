"""From values and texts to what is in a cell or a paragraph.

Reading order: `formatting`, `column_formats`, `paragraph`, `rich_text`, `hyperlinks`, `cell_graphics`, `plain`.
"""
