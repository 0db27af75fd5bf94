"""From texts to positioned glyphs and lines.

Reading order: `fonts`, `harfbuzz`, `shaping`, `advances` (widths of whole columns of texts), `break_opportunities`,
`line_breaking`.
"""
