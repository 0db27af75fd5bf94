"""Pages as pictures of pixels: `writer` (PNG, JPEG, WebP, and TIFF with all pages in one file)."""
