"""From expressions in a scope to columns of values, by the embedded engine.

Reading order: `scope_names`, `slots` (the expressions of a cell), `compiler` (expression to SQL) with `text_growth` and
`inner_groups` (figures of figures), `scope_cells` (those of one scope computed together), `by_group` (of a table's
scopes), `per_page` (outside tables).
"""
