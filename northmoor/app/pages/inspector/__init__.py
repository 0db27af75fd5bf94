"""The inspector: from the selected part to a form of its properties, each change one edit of the report.

Reading order: `inspector_panel` chooses the form; `form` collects its rows, `form_rows` says what they are and
`form_body` shows them; then the forms of each kind: `table_forms`, `matrix_forms`, `chart_forms`, `block_forms`;
`grouping_editors`, `border_editor`, `picture_file_editor` and `format_rule_editors` are parts of several, and
`choice_samples` show fonts and styles as themselves.
"""
