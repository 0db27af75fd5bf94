"""A query in the window: the sentence and the SQL of one text, each change a step of the report.

Reading order: `query_bar`, `sentence_controller`, `sentence_context`, `sentence_view` with `chip_row`,
`sentence_text` and `sentence_steps`; `dialogs`; `sql_editor`, `sql_fault_line`, `sql_actions`, `plan_panel`,
`large_fetch`, `query_actions`.
"""
