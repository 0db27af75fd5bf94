"""The Pages workspace: the live canvas, Contents, Fields and the inspector."""
