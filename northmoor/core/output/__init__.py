"""From pages to bytes: one module a format."""
