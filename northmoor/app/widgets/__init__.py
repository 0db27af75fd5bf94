"""Widgets and drawing that all workspaces share; they know nothing of workspaces.

Reading order: `preferences`, `theme`, `icons` and `kind_looks`; `value_editors`, `picture_choices`, `color_editor`,
`suggestions` and `property_editors`, from a property's declaration to its editor; `word_completer`; `rows_model`;
`headings`, `menus`, `popups`, `flow_layout`, `notice`, `waiting`, `widget_tools`.
"""
