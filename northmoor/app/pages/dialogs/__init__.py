"""Dialogs over the whole report: `editions_dialog`, `styles_dialog` and `find_replace_dialog`."""
