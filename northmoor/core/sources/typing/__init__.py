"""From what a database declares and returns to exact types: `inference` of a query's columns, `coercion` of values, and
`decimals` of any length."""
