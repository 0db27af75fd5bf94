"""From a document (`output_document`: its pages, and what it says in reading order, `content`) to files, a package for
each kind: `pdf`, `svg`, `image` (pixels, drawn by `raster`), `html`, `spreadsheet`, `word`, `data` (rows, cells), and
`page_dump` (JSON). `block_pages` makes pages of one block, `layer_pictures` pictures of what a page draws."""
