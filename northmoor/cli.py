"""The command line: a thin second face of the core."""

import logging
import sys
from pathlib import Path
from typing import Annotated

import typer

from northmoor.core.checks.preflight import preflight
from northmoor.core.deliver.starting import new_report
from northmoor.core.document import Session
from northmoor.core.errors import NorthmoorError, ParameterError
from northmoor.core.model.files import load_report
from northmoor.core.sources.connections import Library

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Exact, printable reports from business data.",
)


@app.command()
def demo(
    directory: Annotated[Path, typer.Option("--dir", help="Where to make the demo library.")] = Path("demo-library"),
    history: Annotated[bool, typer.Option("--history", help="Make a million sailings of earlier years too.")] = False,
    window: Annotated[bool, typer.Option("--window/--no-window", help="Open the window on it.")] = True,
) -> None:
    """Make the demo library and open the window on it."""
    from northmoor.demo.library import make_library  # slow to load; only this command needs it

    first = make_library(directory, history)
    if window:
        _open_window(first)
    else:
        sys.stdout.write(f"The demo library is in {directory}.\n")


@app.command("open")
def open_report(report: Annotated[Path | None, typer.Argument(help="A .moor file.")] = None) -> None:
    """Open the window."""
    _open_window(report)


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
    new_report(out, connect, _sql(sql), level or [], total or [], title, replace)


@app.command()
def run(
    report: Annotated[Path, typer.Argument(help="A .moor file.")],
    out: Annotated[Path, typer.Option(help="File to write: .pdf, .png (one a page) or .json (the pages' dump).")],
    assign: Annotated[list[str] | None, typer.Option("--set", help="The value of a parameter, as name=value.")] = None,
    edition: Annotated[str | None, typer.Option(help="The edition; without it, the first.")] = None,
) -> None:
    """Run a report into a file."""
    document = Session(Library.around(report)).render(load_report(report), _assignments(assign or []), edition)
    blocked = [f for f in document.findings if f.rule in ("faulty block", "faulty query")]
    if blocked:
        _fail(str(blocked[0]))
    document.write(out)
    faults = [finding for finding in preflight(document) if finding.is_error]
    if faults:
        more = f" ({len(faults) - 1} more faults are marked on the pages.)" if len(faults) > 1 else ""
        _fail(f"{faults[0]} It is marked in {out.name}.{more}")


def _sql(text: str) -> str:
    if not text.startswith("@"):
        return text
    try:
        return Path(text[1:]).read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise NorthmoorError(f"The SQL file {text[1:]} cannot be read: {error}.") from error


def _assignments(pairs: list[str]) -> dict[str, str]:
    values = {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals:
            raise ParameterError(f"--set takes name=value; {pair!r} has no equals sign.")
        values[name.strip()] = value
    return values


def _open_window(report: Path | None) -> None:
    from northmoor.app.main import run_window  # Qt is loaded for the window only

    raise typer.Exit(run_window(report))


def _fail(message: str) -> None:
    sys.stderr.write(" ".join(message.split()) + "\n")
    raise typer.Exit(2)


def main() -> None:
    """Run the command line; errors are one sentence on stderr and exit code 2."""
    logging.getLogger("sqlglot").setLevel(logging.ERROR)
    try:
        app()
    except NorthmoorError as error:
        sys.stderr.write(" ".join(str(error).split()) + "\n")
        sys.exit(2)
