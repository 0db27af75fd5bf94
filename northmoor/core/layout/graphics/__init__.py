"""Display lists and what is drawn into them.

Reading order: `display_list`, `painter`, `paths`, `hatching`; `images`, `svg` with `svg_text`; `codes` with `code128`.
"""
