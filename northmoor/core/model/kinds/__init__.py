"""Kinds of things that reports choose from by name, each kind one record in one list.

`value_types` (of columns and parameters), `aggregates`, `mark_types`, `output_formats`.
"""
