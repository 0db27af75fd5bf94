"""Shows and edits; computes nothing."""
