"""Findings about a report before it goes out, and why a figure is what it is.

`preflight` with its rules (`value_rules`, `values_without_rows`, `link_rules`, `missing_glyphs`,
`read_aloud`) and remedies (`lack_of_room`, `expression_remedies`);
`trace`.
"""
