"""From report to report, with what the library knows: changes larger than one edit.

`field_roles`, `new_report` and `starter_layouts`; `includes`; `find_replace`, `rename`, `parameter_kinds`,
`propose_parameters`.
"""
