"""Display lists and what is drawn into them.

Reading order: `display_list`, `painter`, `paths`, `hatching`; `images` with `picture_tasks`, `picture_exchange`, `svg`
and `svg_text`; `codes` with `code128`.
"""
