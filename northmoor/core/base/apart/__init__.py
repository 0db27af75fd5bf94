"""Work that a stranger's file or query could hang or end is done in a process of its own.

Reading order: `task` (what can be asked for, and what comes of it), `reader_process` (what asks, and what is asked),
`child` (what answers). The tasks themselves are where what they read is: queries and tables of files in
`sources.local.tasks`, pictures in `layout.graphics.picture_tasks`.
"""
