"""The docks beside the pages: `outline_panel` (Contents), `fields_panel` (Fields) and `trace_panel` (Trace)."""
