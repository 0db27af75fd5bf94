"""SQL text to a model of one select statement and back into the same text, and steps that change it.

Reading order: `select_model`, `select_parser`, `select_writer` with `source_text` and `condition_writer`, `sql_layout`;
`operands`, `edits`, `asides`, `joins`, `relations`, `computing`, `computed_forms`, `page_expressions`, `pivoting`,
`translating`.
"""
