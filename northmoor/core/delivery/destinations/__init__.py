"""Where runs go. A destination is handed each thing once, even if whoever hands it over is ended at any moment.

Reading order: `destination` (the kinds), `settings` (mail servers and what is kept), `hand_over` (a run to its
destinations), `handing` (what a destination is given, and the notes by which nothing goes twice), then one module for
each kind: `folder`, `published_folder`, `mail` with `mail_message` and `mail_transport`, `printer`, `command`.
"""
