"""Connections to files on this machine, which the embedded engine asks: `duckdb_file`, `files_driver`."""
