"""From connections and queries to rows with typed, named columns.

Reading order: `library` (which data there are) with `targets`, `drivers` (a database of each kind), `files` (files as
tables), `typing` (columns to exact types), `fetch` (a query of a report to its rows), `builder` (SQL as a sentence).
"""
