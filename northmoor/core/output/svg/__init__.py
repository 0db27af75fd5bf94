"""Pages and drawings as SVG: `drawing` (layers of the display list as elements), `web_fonts` (the fonts that texts
need, embedded) and `writer` (files, one a page)."""
