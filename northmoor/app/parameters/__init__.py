"""Parameters in the window: from their definitions to the controls that ask for values, and back to values as given.

Reading order: `bar` over the pages; `bar_item`, one parameter in it; the controls, which share `control_base`:
`inline_controls`, `list_controls`, `date_controls`; and the `dialog` that defines parameters, with `parameter_form`
and `choice_editors`.
"""
