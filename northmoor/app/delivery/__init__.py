"""From the pages to those who wait for them: `delivery_actions` begin with `deliver_dialog` (formats, what, where) and
its `format_options`, `print_pages` (on the system's printers), `clipboard_copy`; `preflight_panel` says what is in the
way."""
