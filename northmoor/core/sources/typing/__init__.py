"""From what a database declares and returns to exact types: `name_check` of a query with its `grouping_check`,
`inference` of its columns, `dialect_notes` of what it means otherwise than on pages, `exact_decimals` where SQLite
compares them, `coercion` of values, and `decimals` of any length."""
