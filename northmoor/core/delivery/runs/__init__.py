"""How a run is made: in a process of its own, with limits, progress, and a way to stop it.

Reading order: `run_request` (what is asked for), `run_process` (who asks), `run_child` (what answers), `make_run` (from
a request to a run in the archive), `value_texts` and `document_texts` (values and templates as texts), `file_names`
(names that any file system takes), `bundle` (one output for each record of a for-each), `query_bundle` (the same for
the rows of a query), `bundle_journal` (how far a bundle is) and `manifest` (the list of a bundle).
"""
