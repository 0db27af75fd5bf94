"""The core: from a report file and values to a document and its outputs, without a screen.

The road, each package importing only those before it: `errors`, `base`, `model`, `store`, `expr`, `values`, `engine`,
`analysis`, `sources`, `compute`, `layout`, `output`, `authoring`, `export`, `document`, `session`, `checks` and
`delivery`. Begin with `session.Session.render`, which calls the stages in order.
"""
