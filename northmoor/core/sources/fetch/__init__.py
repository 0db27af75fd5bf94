"""From a report's query and values to `Rows`.

Reading order: `run_query`, `query_resolution` (shared queries filled in, needs of others), `details`, `spooling`,
`snapshots` (saved rows), `plan` (where each step runs).
"""
