"""Names in SQL."""

import re

from sqlglot import exp

_PLAIN = re.compile(r"[a-z_][a-z0-9_]*")
_PARTS = re.compile(r'"(?:[^"]|"")*"|`(?:[^`]|``)*`|\[[^\]]*\]|[^."`\[]+')
_QUOTES = {'"': '"', "`": "`", "[": "]"}
_RESERVED = frozenset(
    [
        "all",
        "and",
        "as",
        "asc",
        "between",
        "by",
        "case",
        "cross",
        "desc",
        "distinct",
        "end",
        "exists",
        "false",
        "from",
        "full",
        "group",
        "having",
        "in",
        "inner",
        "is",
        "join",
        "left",
        "like",
        "limit",
        "natural",
        "not",
        "null",
        "offset",
        "on",
        "or",
        "order",
        "outer",
        "right",
        "select",
        "set",
        "table",
        "then",
        "true",
        "union",
        "using",
        "user",
        "values",
        "when",
        "where",
        "window",
        "with",
    ]
)


_WITH_SCHEMAS = ("postgres", "mysql")
"""Dialects in which a catalogue has tables of several schemas, whose names have theirs before a dot."""
_RESERVED_IN = {
    "duckdb": frozenset([
        "analyse", "analyze", "any", "array", "asymmetric", "asof", "anti", "at", "authorization", "binary", "both",
        "cast", "check", "collate", "collation", "column", "columns", "concurrently", "constraint", "create",
        "default", "deferrable", "describe", "do", "else", "except", "fetch", "for", "foreign", "freeze",
        "generated", "glob", "ilike", "initially", "intersect", "into", "isnull", "lambda", "lateral", "leading",
        "map", "notnull", "only", "overlaps", "pivot", "pivot_longer", "pivot_wider", "placing", "positional",
        "primary", "qualify", "references", "returning", "semi", "show", "similar", "some", "struct", "summarize",
        "symmetric", "tablesample", "to", "trailing", "try_cast", "tuple", "unique", "unpack", "unpivot",
        "variadic", "verbose",
    ])
}  # fmt: skip
"""More of them in single dialects."""


def quoted(name: str) -> str:
    """A name as a quoted SQL identifier."""
    escaped = name.replace('"', '""')
    return f'"{escaped}"'


def name_parts(name: str) -> tuple[str, ...]:
    """The single names, without quotes, of a name that has dots between them, from a catalogue or from SQL."""
    return tuple(map(unquoted_name, written_parts(name)))


def written_parts(name: str) -> list[str]:
    """The single names of a name that has dots between them, in their quotes."""
    found: list[str] = _PARTS.findall(name)
    return found if ".".join(found) == name else [name]


def unquoted_name(name: str) -> str:
    """One name without the quotes that SQL has around it."""
    for begin, end in _QUOTES.items():
        if len(name) > 1 and name[0] == begin and name[-1] == end:
            return name[1:-1].replace(end * 2, end)
    return name.strip()


def table_name(name: str, schema: str = "") -> str:
    """A table's name as catalogues have it: after its schema and a dot, if it has one; a name with dots of its own is
    in quotes."""
    return ".".join(quoted(part) if set(part) & {".", '"'} else part for part in (schema, name) if part)


def sql_table(name: str, dialect: str) -> str:
    """A table's name in a catalogue as SQL writes it: bare where that can be read back."""
    parts = name_parts(name) if dialect in _WITH_SCHEMAS else [name]
    return ".".join(bare_or_quoted(part, dialect) for part in parts)


def bare_or_quoted(name: str, dialect: str) -> str:
    """One name as SQL writes it: bare where that can be read back."""
    if _PLAIN.fullmatch(name) and name not in _RESERVED and name not in _RESERVED_IN.get(dialect, ()):
        return name
    return exp.to_identifier(name, quoted=True).sql(dialect)
