"""What can be made of the signal logs that a library and a report have: new queries for spans, and for measurements."""

from collections.abc import Iterator

from msgspec import Struct

from northmoor.app.language.translation import tr
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.model.report import Report
from northmoor.core.sources.library import Library


class LogCommand(Struct, frozen=True):
    """A new query over a log of a connection, or of a query's rows where there is no connection."""

    text: str
    connection: str | None
    log: SignalLog
    makes_spans: bool


def log_commands(library: Library, report: Report | None) -> Iterator[LogCommand]:
    """All that can be made."""
    for connection in library.connections.connections:
        for log in connection.logs:
            yield from _of_log(
                tr("the log {log} of {connection}").format(log=log.name, connection=connection.name),
                connection.name,
                log,
            )
    for query in report.queries if report is not None else ():
        if query.log is not None:
            yield from _of_log(tr("the rows of {name}").format(name=query.name), None, query.log)


def _of_log(where: str, connection: str | None, log: SignalLog) -> Iterator[LogCommand]:
    yield LogCommand(tr("Spans of {where}").format(where=where), connection, log, True)
    yield LogCommand(tr("Measure signals of {where}").format(where=where), connection, log, False)
