"""Preflight's rule about values that came from outside, such as numbers handed over by a program, and have no rows."""

from collections.abc import Iterator
from decimal import Decimal

import pyarrow.compute as pc
from sqlglot import exp

from northmoor.core.document import Document
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import Place
from northmoor.core.model.findings import Finding
from northmoor.core.model.parameters import Parameter
from northmoor.core.sources.drivers.read_only import CheckedQuery
from northmoor.core.sources.fetch.query_resolution import resolve

_MOST_NAMED = 10


def values_without_rows(document: Document) -> Iterator[Finding]:
    """Values of a list without choices that a query looks for, and that none of its rows has."""
    lists = {p.name: p for p in document.report.parameters if p.holds == "list" and not (p.choices or p.choices_from)}
    for name, rows in document.rows.items() if lists else ():
        query = resolve(document.report, name, document.library)
        if query.log is not None or query.checked.is_call or rows.table.num_rows == 0:
            continue  # that there are no rows at all is found by another rule
        for parameter, column in _looked_for(query.checked, rows).items():
            if parameter in lists:
                yield from _missing(lists[parameter], document.values.by_name[parameter], rows, column)


def _looked_for(query: CheckedQuery, rows: Rows) -> dict[str, str]:
    """The columns of the result that each row has a value of a list in, by the list's name."""
    where = query.tree.args.get("where")
    if not isinstance(query.tree, exp.Select) or where is None:
        return {}
    columns = [each for each in query.tree.selects if isinstance(each.unalias(), exp.Column)]
    shown = {each.unalias().name: each.alias_or_name for each in columns}
    found = {}
    for condition in where.this.flatten() if isinstance(where.this, exp.And) else [where.this]:
        inner = condition.unnest()
        values = inner.expressions if isinstance(inner, exp.In) and isinstance(inner.this, exp.Column) else []
        if len(values) == 1 and isinstance(values[0], exp.Placeholder):
            found[values[0].name] = shown.get(inner.this.name, inner.this.name)
    return {name: column for name, column in found.items() if column in rows.names}


def _missing(parameter: Parameter, values: object, rows: Rows, column: str) -> Iterator[Finding]:
    texts = {_plain(value) for value in pc.unique(rows.table[column]).to_pylist()}
    wanted = values if isinstance(values, tuple) else ()
    missing = [value for value in wanted if _plain(value) not in texts]
    if missing:
        more = f" and {len(missing) - _MOST_NAMED:,} more" if len(missing) > _MOST_NAMED else ""
        named = ", ".join(str(value) for value in missing[:_MOST_NAMED])
        message = (
            f"{len(missing):,} of {len(wanted):,} values have no rows in {rows.query}: {named}{more}. "
            "They are not in the data, other conditions leave them out, or whoever runs this may not see them."
        )
        yield Finding("values without rows", Place(parameter=parameter.name), message, is_error=False)


def _plain(value: object) -> str:
    """A value as databases compare it at their most generous: without regard to capitals and spaces at the end."""
    if isinstance(value, Decimal | int | float):
        return str(Decimal(str(value)).normalize())
    return str(value).casefold().rstrip()
