"""The Data workspace: from the library's connections to queries, their SQL and their rows.

Reading order: `workspace` joins the panels; `catalog_tree`, `connection_controller` and `connection_dialog` for
connections; `query` for the query as a sentence and as SQL; `rows` for what it returns; `signals`
for signal logs and queries over them.
"""
