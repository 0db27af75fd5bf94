"""The command line: a thin second face of the core."""

import logging
import sys
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from northmoor import __version__
from northmoor.core.base.gc_pause import gc_paused
from northmoor.core.base.memory_limit import limit_memory
from northmoor.core.errors import MissingValue, NorthmoorError, ParameterError, ReportFileError
from northmoor.delivery_cli import (
    Assign,
    archive_app,
    bundle,
    delivery_of,
    order_app,
    run_request_of,
    service_app,
    show_run,
)
from northmoor.exit_codes import ExitCode

if TYPE_CHECKING:
    from northmoor.core.model.findings import Finding

# What a command needs is imported in its body: the engine and all readers take a second, and `--help` none of it.

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,  # its layout of help takes longer than all the rest of `--help`
    help="Exact, printable reports from business data.",
)


app.add_typer(archive_app, name="archive")
app.add_typer(order_app, name="order")
app.add_typer(service_app, name="service")
app.command("bundle")(bundle)
_MOST_SENTENCES = 5

ValuesFile = Annotated[Path | None, typer.Option("--values", help="A JSON file with values by parameter name.")]


def _show_version(is_wanted: bool) -> None:
    if is_wanted:
        sys.stdout.write(f"Northmoor {__version__}\n")
        raise typer.Exit


@app.callback()
def options_of_all(
    version: Annotated[
        bool, typer.Option("--version", callback=_show_version, is_eager=True, help="Show the version and exit.")
    ] = False,  # its callback has acted on it
) -> None:
    """Exact, printable reports from business data."""


@app.command()
def demo(
    directory: Annotated[Path, typer.Option("--dir", help="Where to make the demo library.")] = Path("demo-library"),
    history: Annotated[bool, typer.Option("--history", help="Make a million sailings of earlier years too.")] = False,
    deliveries: Annotated[bool, typer.Option(help="Make the runs of two weeks, for Delivery to show.")] = True,
    window: Annotated[bool, typer.Option("--window/--no-window", help="Open the window on it.")] = True,
) -> None:
    """Make the demo library and open the window on it."""
    from northmoor.demo.deliveries import make_two_weeks
    from northmoor.demo.demo_library import make_library

    first = make_library(directory, history)
    if deliveries:
        make_two_weeks(directory.resolve(), datetime.now(UTC), _show_runs)
    if window:
        _open_window([first])
    else:
        sys.stdout.write(f"The demo library is in {directory}.\n")


def _show_runs(done: int, count: int) -> None:
    """Say how far the demo's runs are: they take half a minute."""
    if sys.stderr.isatty():
        sys.stderr.write(f"\rMaking the runs of two weeks: {done} of {count}" + ("\n" if done == count else ""))


@app.command("open")
def open_report(
    reports: Annotated[list[Path] | None, typer.Argument(help="Files ending in .moor, each in a tab.")] = None,
    assign: Assign = None,
    values: ValuesFile = None,
) -> None:
    """Open the window, on reports; values are those of the first."""
    _start_reader()
    from northmoor.core.store.report_files import load_report
    from northmoor.core.values.given import given_values

    if not reports and (assign or values):
        raise ParameterError("Values belong to a report; name its .moor file.")
    given = given_values(load_report(reports[0]), assign or [], values) if reports else {}
    _open_window(reports or [], given)


@app.command()
def new(
    out: Annotated[Path, typer.Argument(help="The .moor file to write.")],
    connect: Annotated[str, typer.Option(help="Database file or address.")],
    sql: Annotated[str, typer.Option(help="A select statement, or @FILE that holds one.")],
    level: Annotated[list[str] | None, typer.Option(help="Column to group by; outermost first.")] = None,
    total: Annotated[list[str] | None, typer.Option(help="Column to total.")] = None,
    title: Annotated[str | None, typer.Option(help="Title of the report.")] = None,
    replace: Annotated[bool, typer.Option("--replace", help="Replace a report that is there already.")] = False,
) -> None:
    """Write a listing of a query's rows, grouped and totalled, ready to run and to edit."""
    from northmoor.core.authoring.starters.new_report import new_report

    new_report(out, connect, _sql(sql), level or [], total or [], title, replace)


@app.command()
def run(
    report: Annotated[Path, typer.Argument(help="A .moor file.")],
    out: Annotated[
        Path | None, typer.Option(help="File to write; its ending says the format: .pdf, .xlsx, .html, .csv, …")
    ] = None,
    assign: Assign = None,
    values: ValuesFile = None,
    value_set: Annotated[str | None, typer.Option("--value-set", help="A set of values named in the report.")] = None,
    edition: Annotated[
        str | None, typer.Option(help="The edition; without it, the one that the report chooses, or else its first.")
    ] = None,
    block: Annotated[str | None, typer.Option(help="The one block to write; without it, all of the edition.")] = None,
    option: Annotated[
        list[str] | None,
        typer.Option(help="A choice of the format, such as tagged=no, sheets=rows or resolution=300; may be repeated."),
    ] = None,
    archive: Annotated[bool, typer.Option("--archive", help="Keep the run in the library's archive.")] = False,
    formats: Annotated[
        list[str] | None, typer.Option("--format", help="With --archive: a format; may be repeated.")
    ] = None,
    as_json: Annotated[bool, typer.Option("--json", help="With --archive: write what came of it as JSON.")] = False,
) -> None:
    """Run a report into a file, or into the library's archive."""
    _start_reader()
    if archive:
        request = run_request_of(
            report, assign or [], values, value_set, edition=edition, formats=formats, asked_by="program"
        )
        show_run(delivery_of(report).run(request), as_json)
        return
    if out is None:
        raise ParameterError("Say where the result goes: --out FILE, or --archive.")
    from northmoor.core.checks.preflight import preflight
    from northmoor.core.export.option_texts import options_with
    from northmoor.core.session import Session
    from northmoor.core.sources.library import Library
    from northmoor.core.store.report_files import load_report
    from northmoor.core.values.given import given_values

    loaded = load_report(report)
    given = given_values(loaded, assign or [], values, value_set)
    document = Session(Library.around(report)).render(loaded, given, edition)
    _stop_where_blocked(document.findings)
    document.write(out, block=block, options=options_with(document.edition.output, option or []))
    faults = [finding for finding in preflight(document) if finding.is_error]
    if faults:
        sentences = [f"{out.name}: {finding}" for finding in faults[:_MOST_SENTENCES]]
        more = len(faults) - len(sentences)
        _fail(
            [*sentences, f"{out.name}: {more:,} more faults are on its pages."] if more else sentences, ExitCode.FAULTY
        )


@app.command("print")
def print_report(
    report: Annotated[Path, typer.Argument(help="A .moor file.")],
    printer: Annotated[str, typer.Option(help="A printer of CUPS, or folder:PATH for a folder.")],
    assign: Assign = None,
    values: ValuesFile = None,
    edition: Annotated[str | None, typer.Option(help="The edition.")] = None,
    pages: Annotated[str | None, typer.Option(help="The pages, such as 1-3,5; without it, all.")] = None,
    copies: Annotated[int, typer.Option(min=1, max=999, help="How many copies.")] = 1,
    sides: Annotated[str, typer.Option(help="one, long-edge or short-edge.")] = "one",
    tray: Annotated[str | None, typer.Option(help="The tray, as the printer calls it.")] = None,
    sheet: Annotated[str, typer.Option(help="Pages on a sheet: one, two, four, or a booklet.")] = "one",
) -> None:
    """Print a report's pages."""
    _start_reader()
    from northmoor.core.export.printing import print_order, print_pdf
    from northmoor.core.session import Session
    from northmoor.core.sources.library import Library
    from northmoor.core.store.report_files import load_report
    from northmoor.core.values.given import given_values

    order = print_order(printer, pages, copies, sides, tray, sheet)
    loaded = load_report(report)
    document = Session(Library.around(report)).render(loaded, given_values(loaded, assign or [], values), edition)
    _stop_where_blocked(document.findings)
    sys.stdout.write(print_pdf(document.pdf(), document.title, order) + "\n")


def _stop_where_blocked(findings: Sequence["Finding"]) -> None:
    """Write nothing where a query or a block could not be made."""
    blocked = [finding for finding in findings if finding.rule in ("faulty block", "faulty query")]
    if blocked:
        _fail([str(blocked[0])], ExitCode.NOT_WRITTEN)


def _sql(text: str) -> str:
    if not text.startswith("@"):
        return text
    try:
        return Path(text[1:]).read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise NorthmoorError(f"The SQL file {text[1:]} cannot be read: {error}.") from error


def _start_reader() -> None:
    """Let the process that reads files start while this one loads what it needs."""
    from northmoor.core.sources.local.reader_start import start_reader

    start_reader()


def _open_window(reports: list[Path], values: dict[str, Any] | None = None) -> None:
    with gc_paused():
        from northmoor.app.main import run_window  # Qt is loaded for the window only

    raise typer.Exit(run_window(reports, values or {}))


def _fail(messages: Sequence[str], code: ExitCode) -> None:
    sys.stderr.writelines(" ".join(message.split()) + "\n" for message in messages)
    raise typer.Exit(code)


def main() -> None:
    """Run the command line; errors are one sentence on stderr."""
    logging.getLogger("sqlglot").setLevel(logging.ERROR)
    limit_memory()
    try:
        app()
    except NorthmoorError as error:
        how = f" Give it with --set {error.place.parameter}=…" if isinstance(error, MissingValue) else ""
        sys.stderr.write(" ".join(f"{error}{how}".split()) + "\n")
        sys.exit(ExitCode.REFUSED if isinstance(error, ParameterError | ReportFileError) else ExitCode.NOT_WRITTEN)
