"""From given values and defaults to resolved values: `resolution`, in the order of their needs; `choices`, their
lists.
"""
