"""What is around the workspaces of a window.

`window_bars` are the switch between workspaces, the choice of editions and parts of the status line, `work_progress`
the bar of work that goes on; `palette_entries` are what can be searched from anywhere; `parameter_menu` is what is done
to a parameter in the bar; `panel_steps` goes from panel to panel; `workspaces` shows one workspace at a time and
remembers its splits; `link_navigation` follows links on the pages, and goes back; `look_actions` change the styles and
the look of what is selected.
"""
