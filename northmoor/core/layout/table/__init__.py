"""From `TableData` and a width to rows on pages.

Reading order: `layout`; `row_sequence` (rows in printed order), `cell_layout` with `conditional_formats`, `collapsing`;
`min_content`, `column_widths`, `fitting`; `pagination`; `page_rows`, `cell_positions`, `painting`,
`origins`; `horizontal_split` (wide tables), `per_record` (tables in a for-each); `crosstab_table`, `crosstab_columns`
and `crosstab_layout` (a matrix as a table).
"""
