"""From rows and a block's definition to its data: ordered columns, groups and computed cells.

Reading order: `parameters` (values resolved), `report` (what is visible, blocks correlated with records, kinds),
`groups`, `row_ordering`, `evaluate` (expressions to SQL), `table`, `crosstab`, `chart`; `explain` verifies figures
another way, `explore` looks at rows.
"""
