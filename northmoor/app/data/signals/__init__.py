"""Signal logs in Data: they are declared, and queries over them are built by choosing.

Reading order: `signal_controller` (what the workspace asks for), `log_commands` (what can be made of logs),
`signal_sentence` (a query over a log as a sentence) with `span_strip`; the dialogs `log_dialog`, `spans_dialog`,
`measurements_dialog`, made of `signal_list` and `log_fields`.
"""
