"""Computes: from a report file and its data to pages. Knows nothing of a screen."""
