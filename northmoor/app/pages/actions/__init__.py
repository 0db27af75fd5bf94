"""What menus, keys and drops do to blocks: from a selection to one edit of the report.

Reading order: `part_actions`, `block_actions`, `field_actions`, `frame_actions`.
"""
