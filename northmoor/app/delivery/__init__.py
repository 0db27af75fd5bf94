"""From the pages to those who wait for them.

`delivery_actions` begin with `deliver_dialog` (formats, what, where) and its `format_options`, whose answers become
`delivery_requests`; `pdf_password`, `print_pages` (on the system's printers), `clipboard_copy`; `preflight_panel` says
what is in the way. The `workspace` shows a `delivery_snapshot` of what was delivered and will be: `order_list`,
`week_strip`, `run_list` and `run_panel`; `compare_dialog` shows what differs between two runs; `order_form` asks for an
order. A `part_form` is a line for each property of a part.
"""
