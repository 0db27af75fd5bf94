"""SQL text to a model of one select statement and back, and steps that change it.

Reading order: `select_ast`, `edits`, `joins`.
"""
