"""Connections to files on this machine, which the embedded engine asks: `duckdb_file`, `files_driver`; their queries
are run by `engine_queries` in a process of its own (`core.base.apart`, begun by `reader_start`), whose tasks are in
`tasks`."""
