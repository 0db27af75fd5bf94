"""From chosen fields, or signals, to new reports and blocks.

Reading order: `field_roles`, `field_nesting`, `starter_layouts`, `new_report`; `block_starters` (blocks begun with
fields), `report_layouts` (pages of a new report made of those), `starter_query` (a new report's query: its table,
tables joined to it and a condition), `signal_blocks` (blocks of what signals measured).
"""
