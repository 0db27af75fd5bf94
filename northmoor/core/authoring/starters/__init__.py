"""From chosen fields, or signals, to new reports and blocks.

Reading order: `field_roles`, `starter_layouts`, `new_report`; `block_starters` (blocks begun with fields),
`signal_blocks` (blocks of what signals measured).
"""
