"""A bundle of the rows of a query: the report is made with the values of each row."""

import hashlib
from collections.abc import Sequence
from contextlib import closing
from pathlib import Path
from typing import Any

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.delivery.runs.bundle import ReportDone
from northmoor.core.delivery.runs.bundle_journal import BundleJournal, RecordResult, read_journals
from northmoor.core.delivery.runs.document_texts import document_text
from northmoor.core.delivery.runs.file_names import UniqueNames
from northmoor.core.delivery.runs.run_request import BundleRequest, RunRequest
from northmoor.core.document import Document
from northmoor.core.errors import Cancelled, NorthmoorError, OutputError, Place, did_you_mean, mistakes_caught
from northmoor.core.export.document_files import write_outputs
from northmoor.core.model.report import Report
from northmoor.core.session import Session
from northmoor.core.values.given import given_values

_NO_ROWS = "Its queries return no rows."


def make_query_records(
    session: Session,
    report: Report,
    request: RunRequest,
    folder: Path,
    journals: Path,
    stop: CancelToken,
    report_progress: ReportDone,
) -> tuple[list[RecordResult], Document | None]:
    """What became of each row, and the document of the first that was made. Raises NorthmoorError where the query
    fails, and Cancelled."""
    bundle = request.bundle
    assert bundle is not None
    given = given_values(report, value_set=request.value_set) | request.values
    records = _records(session, report, bundle, given, stop)
    known, names, first = read_journals(journals), UniqueNames(), None
    with closing(BundleJournal(journals, 0)) as journal:
        for number, values in enumerate(records):
            stop.raise_if_cancelled()
            label = " ".join(str(value) for value in values.values() if value is not None)
            name = names.of(label or f"record {number + 1}")
            if number not in known or first is None:
                result, document = _made(session, report, request, given | values, number, name, folder, stop)
                first = first or document
                known[number] = result
                journal.add([result])
            report_progress(f"{number + 1:,} of {len(records):,} records", number + 1, len(records))
    return [known[number] for number in range(len(records))], first


def check_has_query(report: Report, name: str) -> None:
    """See that a report has a query of a name. Raises OutputError."""
    names = [query.name for query in report.queries]
    if name not in names:
        raise OutputError(f"The report has no query {name!r}. {did_you_mean(name, names)}".strip())


def _records(
    session: Session, report: Report, bundle: BundleRequest, given: dict[str, Any], stop: CancelToken
) -> Sequence[dict[str, Any]]:
    """The values that each row of the query gives."""
    assert bundle.query is not None
    check_has_query(report, bundle.query)
    names = session.names_in(report, bundle.query)
    resolved = session.resolve_parameters(
        report, {name: value for name, value in given.items() if name not in bundle.values}, stop, forgiving=True
    )
    table = session.rows(report, bundle.query, resolved.values_for(names), stop).table
    for column in bundle.values.values():
        if column not in table.column_names:
            known = did_you_mean(column, table.column_names)
            raise OutputError(f"The query {bundle.query} has no column {column!r}. {known}", Place(query=bundle.query))
    columns = {name: table[column].to_pylist() for name, column in bundle.values.items()}
    lists = {parameter.name for parameter in report.parameters if parameter.holds == "list"}
    return [
        {name: [values[row]] if name in lists else values[row] for name, values in columns.items()}
        for row in range(table.num_rows)
    ]


def _made(
    session: Session,
    report: Report,
    request: RunRequest,
    values: dict[str, Any],
    number: int,
    name: str,
    folder: Path,
    stop: CancelToken,
) -> tuple[RecordResult, Document | None]:
    result, bundle = RecordResult(number, name), request.bundle
    assert bundle is not None
    try:
        with mistakes_caught(f"making the file of {name}"):
            document = session.render(report, values, request.edition, stop)
            blocked = [f for f in document.findings if f.rule in ("faulty block", "faulty query")]
            if blocked:
                raise OutputError(str(blocked[0]))
            if bundle.only_with_rows and not document.row_count:
                return replace(result, state="left_out", reason=_NO_ROWS), None
            texts = {
                part: document_text(document, text, stop)
                for part in ("file_name", "address", "listed_total")
                if (text := getattr(bundle, part))
            }
            name = UniqueNames().of(texts.get("file_name", name))
            files = [
                path
                for suffix in request.formats
                for path in write_outputs(
                    _free(folder, name, suffix, number), document.output(suffix, options=request.options)
                )
            ]
    except Cancelled:
        raise
    except NorthmoorError as error:
        return replace(result, state="failed", reason=str(error)), None
    sums = hashlib.sha256()
    for path in files:
        sums.update(path.read_bytes())
    made = replace(
        result, name=name, files=tuple(path.name for path in files), pages=len(document),
        size=sum(path.stat().st_size for path in files), sha256=sums.hexdigest(),
        total=texts.get("listed_total", ""), address=texts.get("address", ""),
    )  # fmt: skip
    return made, document


def _free(folder: Path, name: str, suffix: str, number: int) -> Path:
    """A name that no other record has."""
    path = folder / f"{name}.{suffix}"
    return path if not path.exists() else folder / f"{name} {number + 1}.{suffix}"
