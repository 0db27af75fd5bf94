"""From report to report, with what the library knows: changes larger than one edit.

`starters`, new reports and blocks; `queries`, their fields, conditions and parameters; `column_roles`,
`table_commands`, `derived_columns` and `format_choices`, what is done to a table by one of its columns; `includes`;
`find_replace`, `rename`, `parameter_kinds`; `chart_tables`; `completions`, what can be written in expressions, and
`expression_check`, what is wrong with one; `report_colors` and `picture_samples`, what a report's colours and pictures
can be.
"""
