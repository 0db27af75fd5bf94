"""Help in the window: what its keys, parts and words mean, offline and searchable.

Reading order: `topics`, the texts; `guide_text` sets one of them; `help_window` shows and searches them;
`help_actions`, what the menu Help does.
"""
