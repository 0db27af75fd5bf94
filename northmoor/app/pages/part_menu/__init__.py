"""What can be done to the selected part: one list, shown as its context menu, as the menu *Selection*, and by Ctrl+K.

Reading order: `entries`, what a list is made of; `part_context`, what its commands work on; `part_entries` chooses the
list by what is selected: `column_entries`, `total_entries`, `level_entries`, `matrix_entries`, `chart_entries`,
`block_entries` and `page_entries`; `filter_entries` are those of what is seen, `style_entries` are typed, and
`common_entries` are what several parts have in common. `format_target` is what a format is chosen for; `format_popup`
and `highlight_dialog` are opened by commands, all by `part_menu`.
"""
