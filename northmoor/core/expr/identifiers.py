"""Names in SQL."""


def quoted(name: str) -> str:
    """A name as a quoted SQL identifier."""
    escaped = name.replace('"', '""')
    return f'"{escaped}"'
