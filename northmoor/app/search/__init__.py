"""Search everything: one line that finds commands, parts, fields, queries, parameters and reports.

Reading order: `matching`, what can be found and how well it fits what is typed; `other_reports`, the reports beside the
open one; `command_palette`, the line.
"""
