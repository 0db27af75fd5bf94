"""Work that a stranger's file or query could hang or end is done in a process of its own.

Reading order: `reader_process` (what asks, and what is asked), `tasks` (what can be asked for), `child` (what answers);
`engine_queries` (statements over the embedded engine).
"""
