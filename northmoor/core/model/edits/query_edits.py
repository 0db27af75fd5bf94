"""Edits of queries and of what they declare about their columns."""

from typing import Any, TypeVar

from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel
from northmoor.core.model.blocks.containers import DataBlock, ForEachBlock
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel
from northmoor.core.model.blocks.tree import Blocks, in_every_list
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.edits.parameter_edits import with_list_query
from northmoor.core.model.report import Report


def change_query(report: Report, query: str, /, **changes: Any) -> Report:
    """Change properties of a query."""
    return report.but(queries=tuple(q.but(**changes) if q.name == query else q for q in report.queries))


def add_query(report: Report, query: Query) -> Report:
    """Add a query."""
    return report.but(queries=(*report.queries, query))


def remove_query(report: Report, query: str) -> Report:
    """Take a query out. Raises ValidationError when something of the report needs it."""
    return report.but(queries=tuple(q for q in report.queries if q.name != query))


def rename_query_references(report: Report, query: str, name: str) -> Report:
    """Give a query another name, in the blocks, links and lists that use it too; texts are left as they are."""

    def renamed(blocks: Blocks) -> Blocks:
        return tuple(_with_query(block, query, name) for block in blocks)

    queries = tuple(_with_new_name(q, query, name) for q in report.queries)
    editions = tuple(e.but(blocks=in_every_list(e.blocks, renamed)) for e in report.editions)
    parameters = tuple(with_list_query(parameter, query, name) for parameter in report.parameters)
    return report.but(queries=queries, parameters=parameters, editions=editions)


def _with_query(block: Block, old: str, name: str) -> Block:
    """A block with another name for a query that it is over, or that it takes keys from."""
    if isinstance(block, ChartBlock):
        sides = {side: getattr(block, side) for side in ("panels", "category", "series")}
        block = block.but(**{s: _with_members(level, old, name) for s, level in sides.items() if level is not None})
    if isinstance(block, MatrixBlock):
        rows, columns = (tuple(_with_members(each, old, name) for each in side) for side in (block.rows, block.columns))
        block = block.but(rows=rows, columns=columns)
    return block.but(query=name) if isinstance(block, DataBlock | ForEachBlock) and block.query == old else block


LevelT = TypeVar("LevelT", ChartLevel, MatrixLevel)


def _with_members(level: LevelT, old: str, name: str) -> LevelT:
    query, _, column = (level.members or "").partition(".")
    return level.but(members=f"{name}.{column}") if query == old else level


def _with_new_name(query: Query, old: str, name: str) -> Query:
    if query.detail_of is not None and query.detail_of.query == old:
        query = query.but(detail_of=query.detail_of.but(query=name))
    return query.but(name=name) if query.name == old else query


def change_query_column(report: Report, query: str, column: str, /, **changes: Any) -> Report:
    """Change what a query says of a column; a setting that says nothing any more is taken out."""
    found = report.query(query)
    changed = column_setting(found, column).but(**changes)
    others = [c for c in found.columns if c.name != column]
    if changed == QueryColumn(name=column):
        return change_query(report, query, columns=tuple(others))
    names = [c.name for c in found.columns]
    at = names.index(column) if column in names else len(names)
    return change_query(report, query, columns=(*others[:at], changed, *others[at:]))


def column_setting(query: Query, column: str) -> QueryColumn:
    """What a query says of a column, or a setting that says nothing."""
    return next((c for c in query.columns if c.name == column), QueryColumn(name=column))
