"""The expression language: parsing, scopes, the allow-list, templates, number and date formats."""
