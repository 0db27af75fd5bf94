"""Types of a query's columns, from what the database declares about the tables it reads.

SQLite does not type the columns of a result, and servers leave open how many places a sum of decimals has. sqlglot
follows each one back through the SQL to declared columns; the scale of decimals follows the arithmetic: the larger one
for sums and differences, the sum of both for products.
"""

from typing import cast

from sqlglot import exp
from sqlglot.errors import SqlglotError
from sqlglot.optimizer.annotate_types import annotate_types
from sqlglot.optimizer.qualify import qualify

from northmoor.core.engine.arrow_types import PRECISION, UNKNOWN_SCALE
from northmoor.core.expr.identifiers import table_name
from northmoor.core.expr.language import function_name
from northmoor.core.expr.placeholders import for_driver, placeholders
from northmoor.core.model.kinds.aggregates import AGGREGATE_BY_NAME
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.read_only import CheckedQuery, check_query

_KEEPING_SCALE = (exp.Abs, exp.Neg, exp.Paren, exp.Coalesce, exp.Filter, exp.Window,
                  exp.Distinct, exp.FirstValue, exp.LastValue, exp.Lag, exp.Lead)  # fmt: skip


def infer_types(query: CheckedQuery, catalog: Catalog) -> tuple[ValueType | None, ...]:
    """The type of each column of a query, None where it cannot be determined; empty when none can be determined."""
    typed = None if query.is_call else typed_tree(query, catalog)
    return tuple(_type_of(cast(exp.Expression, p.unalias())) for p in typed.selects) if typed is not None else ()


def infer_parameter_kind(query: CheckedQuery, catalog: Catalog, name: str) -> KindName:
    """The kind of a parameter, from what the query compares it with; text where that tells nothing."""
    typed = typed_tree(query, catalog) or query.tree
    found = (_compared_kind(node) for node in typed.find_all(exp.Placeholder) if node.name == name)
    return next((kind for kind in found if kind is not None), "text")


def placeholder_kinds(query: CheckedQuery, catalog: Catalog) -> tuple[KindName | None, ...]:
    """What each placeholder of the text, in order, is compared with; None where that tells nothing."""
    count = len(placeholders(query.sql, query.dialect))
    numbers = iter(range(count))
    numbered = for_driver(query.sql, query.dialect, lambda _: f":each_{next(numbers)}").sql
    typed = typed_tree(check_query(numbered, query.dialect), catalog)
    nodes = typed.find_all(exp.Placeholder) if typed is not None else ()
    kinds = {node.name: _compared_kind(node) for node in nodes}
    return tuple(kinds.get(f"each_{number}") for number in range(count))


def _compared_kind(node: exp.Expr) -> KindName | None:
    """The kind of what a placeholder is compared with."""
    parent = node.parent
    if isinstance(parent, exp.Limit | exp.Offset):
        return "integer"
    if not isinstance(parent, exp.Binary | exp.Between | exp.In):
        return None
    others = [n for n in (parent.this, *parent.args.values()) if isinstance(n, exp.Expression) and n is not node]
    known = [kind for kind in map(_type_of, others) if kind is not None]
    return known[0].kind if known else None


def declared_kind(declared: str, dialect: str) -> KindName | None:
    """The kind of value that a column of a declared type holds; None where that tells nothing."""
    try:
        node = exp.Column(this=exp.Identifier(this="c"))
        node.type = exp.DataType.build(_declared_type(declared, dialect), dialect=dialect)
    except (SqlglotError, ValueError):
        return None
    found = _type_of(node)
    return found.kind if found is not None else None


def typed_tree(query: CheckedQuery, catalog: Catalog) -> exp.Query | None:
    """The query's tree with the types of its parts and the tables of its columns; None where it cannot be followed."""
    dialect, tables = query.dialect, query.tables_in(catalog)
    schema: dict[str, object] = {
        table.name: {c.name: _declared_type(c.type, dialect) for c in table.columns} for table in tables
    }
    try:
        qualified = qualify(_without_schemas(query), schema=schema, dialect=dialect, validate_qualify_columns=False)
        typed = annotate_types(qualified, schema=schema, dialect=dialect)
    except (SqlglotError, RecursionError, ValueError, KeyError, AttributeError):
        return None  # a query that sqlglot cannot follow is typed from its values instead
    return typed if isinstance(typed, exp.Query) else None


def _without_schemas(query: CheckedQuery) -> exp.Query:
    """A copy of a query's tree in which each table has one name, that which catalogues have."""
    tree = query.tree.copy()
    for table in tree.find_all(exp.Table):
        if table.db:
            name, own = table_name(table.name, table.db), table.name
            table.set("db", None)
            table.set("this", exp.to_identifier(name, quoted=True))
            if not table.alias:
                table.set("alias", exp.TableAlias(this=exp.to_identifier(own, quoted=True)))
    return tree


def _declared_type(declared: str, dialect: str) -> str:
    """A declared type in words sqlglot knows; SQLite's own rule is that a type's name is matched by its parts."""
    name = declared.upper()
    if dialect != "sqlite":
        return declared.partition(" COLLATE ")[0] or "UNKNOWN"
    if name.startswith(("DECIMAL", "NUMERIC", "MONEY", "DATETIME", "TIMESTAMP", "DATE", "BOOL")):
        return declared.replace("MONEY", "DECIMAL")
    for part, kind in (("INT", "BIGINT"), ("CHAR", "TEXT"), ("CLOB", "TEXT"), ("TEXT", "TEXT"), ("REAL", "DOUBLE"),
                       ("FLOA", "DOUBLE"), ("DOUB", "DOUBLE")):  # fmt: skip
        if part in name:
            return kind
    return "UNKNOWN"


def _type_of(node: exp.Expression) -> ValueType | None:
    if isinstance(node, exp.Date | exp.TsOrDsToDate) or (
        isinstance(node, exp.Anonymous) and node.name.lower() == "date"
    ):
        return ValueType("date")
    kind = node.type
    if kind is None:
        return None
    if kind.this in exp.DataType.INTEGER_TYPES:
        return ValueType("integer")
    if kind.this in (exp.DataType.Type.DECIMAL,) or (kind.this in exp.DataType.REAL_TYPES and _has_decimals(node)):
        scale = _scale(node)
        return ValueType("decimal", PRECISION, UNKNOWN_SCALE if scale is None else scale)
    if kind.this in exp.DataType.REAL_TYPES:
        return ValueType("float")
    if kind.this in exp.DataType.TEXT_TYPES:
        return ValueType("text")
    simple = {"DATE": "date", "DATETIME": "timestamp", "TIMESTAMP": "timestamp", "BOOLEAN": "boolean"}
    name = simple.get(kind.this.name)
    return ValueType(name) if name else None


def decimal_places(node: exp.Expression) -> int | None:
    """The places of an exact number with decimals in a typed tree; None for any other value."""
    return _scale(node) if _has_decimals(node) else None


def _has_decimals(node: exp.Expression) -> bool:
    exact = not any(isinstance(n, exp.Div | exp.Avg | exp.Pow | exp.Sqrt) for n in node.walk())
    return exact and any(
        c.type is not None and c.type.this == exp.DataType.Type.DECIMAL for c in node.find_all(exp.Column)
    )


def _scale(node: exp.Expression) -> int | None:
    """Decimal places of an exact expression; None when they cannot be determined."""
    if isinstance(node, exp.Literal):
        return None if node.is_string or "e" in node.name.lower() else len(node.name.partition(".")[2])
    if isinstance(node, exp.Column | exp.Cast):
        return _declared_scale(node.type)
    if isinstance(node, exp.Count):
        return 0
    if isinstance(node, exp.Mul):
        scales = [_scale(node.this), _scale(node.expression)]
        return None if None in scales else sum(s for s in scales if s is not None)
    if isinstance(node, exp.Add | exp.Sub):
        return _largest([node.this, node.expression])
    if isinstance(node, exp.Case):
        return _largest(
            [
                *(i.args["true"] for i in node.args["ifs"]),
                *([node.args["default"]] if node.args.get("default") else []),
            ]
        )
    if isinstance(node, exp.Round):
        places = node.args.get("decimals")
        return int(places.name) if isinstance(places, exp.Literal) and places.name.isdigit() else None
    if isinstance(node, _KEEPING_SCALE) or _is_scale_kept_by(node):
        inner = [node.this, *(node.expressions if isinstance(node, exp.Coalesce) else [])]
        return _largest([n for n in inner if isinstance(n, exp.Expression)])
    return None


def _is_scale_kept_by(node: exp.Expression) -> bool:
    known = AGGREGATE_BY_NAME.get(function_name(node)) if isinstance(node, exp.AggFunc) else None
    return known is not None and known.keeps_scale


def _largest(nodes: list[exp.Expression]) -> int | None:
    scales = [_scale(node) for node in nodes if not isinstance(node, exp.Null)]
    known = [s for s in scales if s is not None]
    return max(known) if known and len(known) == len(scales) else None


def _declared_scale(kind: exp.DataType | None) -> int | None:
    if kind is None:
        return None
    if kind.this in exp.DataType.INTEGER_TYPES:
        return 0
    if kind.this != exp.DataType.Type.DECIMAL or len(kind.expressions) < 2:
        return None
    return int(kind.expressions[1].name)
