"""Kinds of things that reports choose from by name, each kind one record in one list.

`value_kinds` (of columns and parameters), `value_types` (a kind with its digits), `aggregates`,
`mark_types`, `output_formats`, `signal_natures`, `signal_statistics`.
"""
