"""Where a report's rows come from: queries, the library's connections, and signal logs.

Reading order: `queries`, `connections`; `signal_logs` (which columns are readings of signals), `signal_queries` (spans
and measurements over them), `durations`.
"""
