"""A document as a spreadsheet: `writer` (the workbook), `as_seen` (sheets as the pages are), `table_rows_sheet` (tables
with outline levels), `formulas` (which totals are formulas), `rows_sheets` (the rows of queries), `native_charts`,
`number_formats` (CLDR patterns as ECMA-376 writes them), `cell_formats` (looks), `native_formats` (looks that
follow from values) with `row_conditions` (what they are asked), and `sheet` (where the next row goes).
"""
