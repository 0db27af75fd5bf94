"""From pages to bytes: `pdf`, `raster` (pixels), `page_dump` (JSON)."""
