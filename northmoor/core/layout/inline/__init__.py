"""From values and texts to what is in a cell or a paragraph.

Reading order: `formatting`, `paragraph`, `rich_text`, `hyperlinks`, `cell_graphics`, `plain`.
"""
