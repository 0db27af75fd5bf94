"""Editors of text in place: from a definition's text to its edited text.

`inline_editor` is a line over a cell; `expression_checker` checks what is typed in it; `rich_text_editor` edits runs of
several looks.
"""
