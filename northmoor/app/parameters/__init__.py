"""Parameters in the window: the bar with their controls, and the dialog that defines them."""
