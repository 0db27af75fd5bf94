"""From a report's query and values to `Rows`.

Reading order: `query_rows`, `run_query`, `query_resolution` (shared queries filled in, needs of others), `details`,
`spooling`, `snapshots` (saved rows), `plan` (where each step runs), `fetch_size` (how much it would
send); `signal_rows` with `log_reading` and
`log_statement`, queries over signal logs; `log_survey`, what a table would be as one.
"""
