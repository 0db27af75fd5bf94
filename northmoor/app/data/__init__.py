"""The Data workspace: connections, tables, queries and their rows."""
