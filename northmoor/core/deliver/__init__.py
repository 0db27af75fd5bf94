"""Runs: writing a document's outputs where they belong."""
