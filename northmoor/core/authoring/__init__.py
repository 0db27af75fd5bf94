"""From report to report, with what the library knows: changes larger than one edit.

`new_report` and `starter_layouts`; `includes`; `find_replace`, `rename_parameter`, `propose_parameters`.
"""
