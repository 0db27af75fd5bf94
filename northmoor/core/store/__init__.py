"""Files of reports on disk, read within limits and written whole or not at all.

`report_files`, `page_template_files`, `recovery_copies`.
"""
