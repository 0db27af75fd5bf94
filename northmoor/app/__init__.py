"""The window: shows a document and edits the report behind it. It computes nothing.

Reading order: `main` opens the `tabbed_window`, which has a `window` in each tab. That joins the workspaces `pages`,
`data` and `delivery`, the bar and dialog of `parameters`, what is around them (`shell`), the menus (`actions`) and what
they call (`library_actions`, `report_file`, `search`, `help`). `start` is shown while no report is
open. All of them change the report through `document_controller`, which keeps its history; slow work runs in `worker`.
`widgets` knows nothing of the others. Every text goes through `language`.
"""
