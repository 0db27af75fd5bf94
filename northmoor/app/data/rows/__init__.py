"""The rows of a query in the window: a grid, profiles of columns, quick looks, totals to check.

Reading order: `rows_pane`, `profile_header`, `column_panel` with `parts_list`, `row_actions`,
`column_actions`, `check_totals_dialog`.
"""
