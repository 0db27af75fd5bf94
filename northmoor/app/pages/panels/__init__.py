"""The docks beside the pages, and what they begin.

Reading order: `outline_panel` (Contents) of `edition_tree`; `query_fields`, what the fields of queries are read by;
`fields_panel` (Fields); `block_popup`, a new table, matrix or chart of fields with their `role_choice_box`;
`trace_panel` (Trace).
"""
