"""From texts and JSON to typed values of parameters.

Reading order: `scalars`, `relative_periods`, `parameter_values`, `given` (values handed over from outside).
"""
