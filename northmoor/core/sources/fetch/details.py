"""Detail queries: rows that belong to the records of another query, fetched in bulk and kept by their links."""

import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.errors import QueryError, did_you_mean
from northmoor.core.model.data.queries import Link


def detail_rows(rows: pa.Table, records: pa.Table, link: Link, stop: CancelToken) -> pa.Table:
    """The rows that belong to one of the records, in their order; a null belongs to none.

    Raises QueryError when a linked column is missing, or when two cannot be compared.
    """
    _columns_exist(rows, [pair.own for pair in link.columns], "It")
    _columns_exist(records, [pair.other for pair in link.columns], f"Query {link.query}")
    wanted = " and ".join(f"o.k{n} = r.k{n}" for n in range(len(link.columns)))
    with Engine(stop) as engine:
        owners = pa.table([records[p.other] for p in link.columns], names=_keys(link))
        details = pa.table([rows[p.own] for p in link.columns], names=_keys(link))
        engine.register("owners", owners)
        engine.register("details", details.append_column("place", pa.array(range(len(details)), pa.int64())))
        try:
            kept = engine.run(f"select place from details r where exists (from owners o where {wanted}) order by place")
        except EngineError as error:
            raise QueryError(
                f"Its link to {link.query} compares what cannot be compared ({engine_message(error)})."
            ) from error
    return rows if len(kept) == len(rows) else rows.take(kept["place"])


def rows_of_record(rows: pa.Table, record: dict[str, object], link: Link, stop: CancelToken) -> pa.Table:
    """The rows that belong to one record, given by its columns' values. Raises like `only_details`."""
    owner = pa.table({pair.other: pa.array([record[pair.other]], rows[pair.own].type) for pair in link.columns})
    return detail_rows(rows, owner, link, stop)


def _keys(link: Link) -> list[str]:
    return [f"k{n}" for n in range(len(link.columns))]


def _columns_exist(table: pa.Table, names: list[str], who: str) -> None:
    for name in names:
        if name not in table.column_names:
            hint = did_you_mean(name, table.column_names)
            raise QueryError(f"{who} has no column {name!r}, by which the detail is linked. {hint}")
