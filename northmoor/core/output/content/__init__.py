"""What a document says in reading order, for outputs that have no pages of their own: `nodes` (headings, texts, tables,
charts, drawn things), `reading_order` (from what is on the pages to these), `block_roles` (what blocks are to readers),
`list_items`, `table_rows` (rows and cells of tables with texts, values and looks), `table_grid` (without holes),
`chart_figures` (what a chart shows, in words and as rows) and `drawn_texts` (what drawn things say)."""
