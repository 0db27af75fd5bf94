"""A query of a report to its rows, whatever it reads: a connection, other queries, or a signal log."""

from northmoor.core.base.replace import replace
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ConnectionFault, NorthmoorError, Place
from northmoor.core.sources.fetch.details import detail_rows
from northmoor.core.sources.fetch.run_query import FetchRequest, fetch
from northmoor.core.sources.fetch.signal_rows import signal_rows


def query_rows(request: FetchRequest) -> Rows:
    """Run a query of a report.

    Raises QueryError, RefusedQuery or ConnectionFault, each naming the query, or Cancelled.
    """
    query = request.resolved.query
    if request.resolved.log is None:
        return fetch(request)
    try:
        rows = signal_rows(request, request.resolved.log)
        if query.detail_of is not None:
            owner = request.sources[query.detail_of.query]
            rows = replace(rows, table=detail_rows(rows.table, owner.table, query.detail_of, request.stop))
        return rows
    except ConnectionFault as error:
        raise type(error)(error.message, Place(query=query.name, connection=query.connection)) from error
    except NorthmoorError as error:
        raise error.at(Place(query=query.name)) from None
