"""A new report on one screen: where its rows come from, its fields and what each is, and the live page of its layout.

`new_report_action` opens the `new_report_dialog`, which joins the `source_panel` (query or table, tables joined to it),
the `filter_row`, the `tick_list` of fields and the `chosen_field_list`, the `page_preview` and the `look_pictures` of
table styles.
"""
