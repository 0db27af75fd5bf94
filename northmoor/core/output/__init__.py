"""From pages (`paged_document`) to bytes: `pdf`, `raster` (pixels), `page_dump` (JSON)."""
