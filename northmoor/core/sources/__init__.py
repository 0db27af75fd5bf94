"""From connections and queries to rows with typed, named columns.

Reading order: `library` (which data there are) with `targets`, `drivers` (a server or SQLite), `local` (files that the
embedded engine asks, in a process of its own) and `files` (files to tables), `typing` (columns to exact
types), `signals` (readings of logs to spans and measurements), `fetch` (a query of a report to its rows), `builder`
(SQL as a sentence).
"""
