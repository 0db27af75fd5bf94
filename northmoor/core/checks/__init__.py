"""Findings about a report before it goes out."""
