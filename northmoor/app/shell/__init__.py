"""What is around the workspaces of a window.

`window_bars` are the switch between workspaces, the choice of editions and parts of the status line; `workspaces` shows
one workspace at a time and remembers its splits. The `tabbed_window` is what is on the screen: a tab for each report.
"""
