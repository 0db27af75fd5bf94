"""Editors of text in place: from a definition's text to its edited text.

`inline_editor` is a line over a cell; `expression_checker` checks what is typed in it. `expression_context` is what an
expression can use; `expression_dialog` is a larger editor, with its value, which `larger_editor_key` opens.
`rich_text_editor` edits runs of several looks.
"""
