"""Prints how the product compares with a floor measured in the same run.

Whole processes for the way from SQLite to PDF; one process for an edit on the open report.
"""

import json
import math
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import fetching
import listing
import million

from northmoor.core.document import Document
from northmoor.core.model import edits
from northmoor.core.model.report import Report
from northmoor.core.output.raster import rasterise
from northmoor.core.session import Session
from northmoor.core.sources.drivers.credentials import address
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from northmoor.demo.data.history import make_history
from northmoor.demo.demo_library import make_library

sys.path.append(str(Path(__file__).parent.parent))
from tests.servers import PASSWORD, PrivatePostgresql, running  # the tests' private servers

RUNS = 5
SCALE = 96 / 72
LIMITS = {
    "to_pdf": 2.0, "edit": 3.0, "memory": 600, "postgresql": 1.5, "parquet": 1.2,
    "first_page": 2.0, "million": 1.5, "million_memory": 1500, "exponent": 1.05,
    "help": 0.3, "window": 1.3, "window_ratio": 10.0, "window_page": 1.2, "window_edit": 50,
    "signals": 1.5, "signal_memory": 1.1, "trend": 2.0,
    "matrix": 1.3, "charts": 1 / 15, "statements": 0.08, "records": 1.1, "tagged": 1.25, "spreadsheet": 3.0,
}  # fmt: skip
SIZES = (10_000, 100_000, 1_000_000)
STATEMENTS, LINES = 10_000, 100


def timed(command: list[str]) -> tuple[float, float]:
    """Seconds and peak memory (MB) of a process."""
    began = time.perf_counter()
    process = subprocess.Popen(command)
    _, status, usage = os.wait4(process.pid, 0)
    if status:
        raise SystemExit(f"{command} failed")
    return time.perf_counter() - began, usage.ru_maxrss / 1024


def bench_to_pdf(folder: Path, database: Path, report: Path) -> None:
    """From SQLite to PDF against the bare writer, in turn."""
    here = Path(__file__).parent
    product = [
        sys.executable,
        "-m",
        "northmoor",
        "run",
        str(report),
        "--out",
        str(folder / "out.pdf"),
        "--option",
        "tagged=no",
    ]
    bare = [sys.executable, str(here / "bare.py"), str(database), str(folder / "bare.pdf")]
    timed(product), timed(bare)
    pairs = [(timed(product), timed(bare)) for _ in range(RUNS)]
    ratios = [ours[0] / floor[0] for ours, floor in pairs]
    seconds = [statistics.median(side[i][0] for side in pairs) for i in (0, 1)]
    memory = max(ours[1] for ours, _ in pairs)
    say(
        "100,000 rows to PDF",
        statistics.median(ratios),
        LIMITS["to_pdf"],
        f"{seconds[0]:.2f} s, floor {seconds[1]:.2f} s",
    )
    print(f"{'peak memory':28} {memory:6.0f} MB  (at most {LIMITS['memory']} MB)")


def bench_start(folder: Path) -> None:
    """From a process's start to the help's end, and to a window's first page, against a bare window's first paint."""
    compiled = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    program = [sys.executable, "-m", "northmoor", "--help"]
    starting = [sys.executable, str(Path(__file__).parent / "starting.py")]

    def helped() -> float:
        began = time.perf_counter()
        subprocess.run(program, env=compiled, check=True, stdout=subprocess.DEVNULL)
        return time.perf_counter() - began

    def shown(*arguments: str) -> float:
        began = time.time()
        done = subprocess.run([*starting, *arguments], env=compiled, check=True, capture_output=True, text=True)
        return float(done.stdout) - began

    report = make_library(folder / "demo")
    helped(), shown("bare"), shown("window", str(report))
    seconds = statistics.median(helped() for _ in range(RUNS))
    print(f"{'--help':28} {seconds:6.2f} s  (at most {LIMITS['help']} s)")
    pairs = [(shown("window", str(report)), shown("bare")) for _ in range(RUNS)]
    ours, bare = (statistics.median(side[at] for side in pairs) for at in (0, 1))
    print(f"{'window with its first page':28} {ours:6.2f} s  (at most {LIMITS['window']} s)")
    ratio = statistics.median(window / empty for window, empty in pairs)
    say("the same to a bare window", ratio, LIMITS["window_ratio"], f"{ours:.2f} s, floor {bare:.2f} s")


def bench_window(folder: Path) -> None:
    """In the window: a refresh until the first page is painted, against the core alone, and an edit until it is."""
    report = make_library(folder / "window-demo")
    timing = [sys.executable, str(Path(__file__).parent / "windowing.py"), str(report)]
    run = subprocess.run(timing, check=True, capture_output=True, text=True)
    window, core, edit = map(float, run.stdout.split())
    say("first page in the window", window / core, LIMITS["window_page"], f"{window:.2f} s, core {core:.2f} s")
    print(f"{'edit in the window':28} {edit * 1000:6.0f} ms  (at most {LIMITS['window_edit']} ms)")


def bench_edit(report_file: Path) -> None:
    """From a changed column width to the visible page's pixels, against PDFium's drawing of that page alone."""
    session = Session(Library.around(report_file))
    report = load_report(report_file)
    document = session.render(report)
    middle = len(document) // 2
    rasterise(document.page_pdf(middle), 0, SCALE)
    edit_times, draw_times = [], []
    for n in range(15):
        began = time.perf_counter()
        document = edited(session, report, 90_000 + n * 500)
        pdf = document.page_pdf(middle)
        rasterise(pdf, 0, SCALE)
        edit_times.append(time.perf_counter() - began)
        began = time.perf_counter()
        rasterise(pdf, 0, SCALE)
        draw_times.append(time.perf_counter() - began)
    ratio = statistics.median(e / d for e, d in zip(edit_times, draw_times, strict=True))
    seconds = f"{statistics.median(edit_times) * 1000:.0f} ms, floor {statistics.median(draw_times) * 1000:.0f} ms"
    say("edit of a column's width", ratio, LIMITS["edit"], seconds)


def bench_million(folder: Path) -> None:
    """A million rows in three levels: the first page against DuckDB alone, all pages against the bare writer, and how
    the time grows from ten thousand rows on."""
    here = Path(__file__).parent
    firsts: dict[int, list[tuple[float, float]]] = {}
    for rows in SIZES:
        place = folder / str(rows)
        place.mkdir()
        million.make(place, rows)
        command = [sys.executable, str(here / "million.py"), str(place)]
        runs = [subprocess.run(command, check=True, capture_output=True, text=True).stdout for _ in range(3)]
        firsts[rows] = [(float(run.split()[0]), float(run.split()[1])) for run in runs]
    ours, floor = (statistics.median(run[i] for run in firsts[SIZES[-1]]) for i in (0, 1))
    ratio = statistics.median(a / b for a, b in firsts[SIZES[-1]])
    say("1,000,000 rows, first page", ratio, LIMITS["first_page"], f"{ours:.2f} s, floor {floor:.2f} s")
    report, parquet = place / "million.moor", place / "history.parquet"
    product = [sys.executable, "-m", "northmoor", "run", str(report), "--out", str(folder / "million.pdf")]
    bare = [sys.executable, str(here / "bare.py"), str(parquet), str(folder / "bare.pdf")]
    pairs = [(timed(product), timed(bare)) for _ in range(2)]
    ratio = statistics.median(a[0] / b[0] for a, b in pairs)
    seconds = [statistics.median(side[i][0] for side in pairs) for i in (0, 1)]
    say("1,000,000 rows to PDF", ratio, LIMITS["million"], f"{seconds[0]:.1f} s, floor {seconds[1]:.1f} s")
    memory = max(a[1] for a, _ in pairs)
    print(f"{'its peak memory':28} {memory:6.0f} MB  (at most {LIMITS['million_memory']} MB)")
    least, most = (statistics.median(run[0] for run in firsts[rows]) for rows in (SIZES[0], SIZES[-1]))
    exponent = math.log(most / least) / math.log(SIZES[-1] / SIZES[0])
    print(f"{'time of the first page':28} rows ^ {exponent:.2f}  (at most {LIMITS['exponent']})")


def bench_matrix() -> None:
    """A matrix over a million rows against the engine's own pivot."""
    command = [sys.executable, str(Path(__file__).parent / "crossing.py")]
    runs = [subprocess.run(command, check=True, capture_output=True, text=True).stdout.split() for _ in range(3)]
    ours, floor = (statistics.median(float(run[i]) for run in runs) for i in (0, 1))
    say("1,000,000 rows, 50 × 36 cells", ours / floor, LIMITS["matrix"], f"{ours:.3f} s, floor {floor:.3f} s")


def bench_charts() -> None:
    """500 charts of 100 points to PDF against the standard plotting library."""
    command = [sys.executable, str(Path(__file__).parent / "charting.py")]
    run = subprocess.run(command, check=True, capture_output=True, text=True)
    ours, floor = map(float, run.stdout.split())
    say("500 charts of 100 points", ours / floor, LIMITS["charts"], f"{ours:.2f} s, floor {floor:.2f} s")


def bench_deliveries() -> None:
    """A tagged PDF against an untagged one, and a spreadsheet against its library alone."""
    command = [sys.executable, str(Path(__file__).parent / "deliveries.py"), "100000"]
    run = subprocess.run(command, check=True, capture_output=True, text=True)
    tagged, plain, sheet, floor = map(float, run.stdout.split())
    say("tagged PDF, 100,000 rows", tagged / plain, LIMITS["tagged"], f"{tagged:.2f} s, untagged {plain:.2f} s")
    say("spreadsheet, 100,000 rows", sheet / floor, LIMITS["spreadsheet"], f"{sheet:.2f} s, floor {floor:.2f} s")


def bench_statements() -> None:
    """10,000 statements of 3 pages to PDF against a plain loop over the usual canvas library; and how much more memory
    they take than the same rows in few."""
    floor = _statements("floor", STATEMENTS)
    ours = [_statements("ours", STATEMENTS) for _ in range(3)]
    assert ours[0][1] == floor[1]  # as many pages
    seconds = statistics.median(run[0] for run in ours)
    say("10,000 statements of 3 pages", seconds / floor[0], LIMITS["statements"],
        f"{seconds:.2f} s, floor {floor[0]:.2f} s")  # fmt: skip
    memory = max(run[2] for run in ours)
    few = _statements("ours", STATEMENTS // 100, 100 * LINES)
    memories = f"{memory:.0f} MB, {few[2]:.0f} MB for the same rows in 100 statements, floor {floor[2]:.0f} MB"
    print(f"{'their peak memory':28} {memory / few[2]:6.2f} × that of 100  (at most {LIMITS['records']})   {memories}")


def _statements(way: str, records: int, lines: int = LINES) -> list[float]:
    """Seconds, pages and peak memory (MB) of a process."""
    command = [sys.executable, str(Path(__file__).parent / "statements.py"), way, str(records), str(lines)]
    run = subprocess.run(command, check=True, capture_output=True, text=True)
    return [float(part) for part in run.stdout.split()]


def fetched(*arguments: str) -> tuple[float, float]:
    """Seconds of a fetch and its process's peak memory (MB)."""
    here = Path(__file__).parent
    done = subprocess.run([sys.executable, str(here / "fetching.py"), *arguments], check=True, stdout=subprocess.PIPE)
    seconds, memory = done.stdout.split()
    return float(seconds), float(memory)


def bench_fetches(folder: Path) -> None:
    """A million rows of eight columns into the engine, against the plain drivers."""
    parquet = folder / "history.parquet"
    make_history(parquet, fetching.ROWS)
    compare("Parquet, 1,000,000 × 8", "parquet", ["ours", str(parquet)], ["duckdb", str(parquet)])
    with running(PrivatePostgresql()) as server:
        server.prepare()
        server.run(fetching.MAKE)
        server.run("grant select on history to reader; analyze history")
        os.environ["NORTHMOOR_PASSWORDS"] = json.dumps({address(server.connection): PASSWORD})
        where = f"localhost:{server.port}/tarrow"
        floor = f"postgresql://reader:{PASSWORD}@{where}"
        compare("PostgreSQL, 1,000,000 × 8", "postgresql", ["ours", f"postgresql://reader@{where}"], ["adbc", floor])


def compare(what: str, limit: str, product: list[str], plain: list[str]) -> None:
    """Fetch in turn by the product and by the plain driver."""
    pairs = [(fetched(*product, fetching.SQL), fetched(*plain, fetching.SQL)) for _ in range(RUNS + 1)][1:]
    ratio = statistics.median(ours[0] / floor[0] for ours, floor in pairs)
    seconds = [statistics.median(side[i][0] for side in pairs) for i in (0, 1)]
    memory = [max(side[i][1] for side in pairs) for i in (0, 1)]
    memories = f"{seconds[0]:.2f} s, floor {seconds[1]:.2f} s; peak {memory[0]:.0f} MB, floor {memory[1]:.0f} MB"
    say(what, ratio, LIMITS[limit], memories)


def edited(session: Session, report: Report, width: int) -> Document:
    """The document with another width of a column."""
    return session.render(edits.change_column(report, "main", "table", "goods", width=width))


def bench_signals(folder: Path) -> None:
    """Statistics of 10,000,000 readings in 500 spans against bare SQL; a trend of them all against the engine's
    reading; the memory for one hour of a log, against that of the same hour in a tenth of it."""

    def run(what: str, file: Path, *more: str) -> tuple[float, float]:
        script = str(Path(__file__).parent / "logs.py")
        answer = subprocess.run(
            [sys.executable, script, what, str(file), *more], capture_output=True, text=True, check=True
        )
        seconds, peak = (answer.stdout.split() or ["0", "0"])[:2]
        return float(seconds), float(peak)

    large, small = folder / "large.parquet", folder / "small.parquet"
    run("make", large, "10000000"), run("make", small, "1000000")
    pairs = [(run("product", large)[0], run("floor", large)[0]) for _ in range(3)]
    ours, floor = (statistics.median(pair[i] for pair in pairs) for i in (0, 1))
    say("10,000,000 readings, 500 spans", ours / floor, LIMITS["signals"], f"{ours:.1f} s, floor {floor:.1f} s")
    pairs = [(run("trend", large)[0], run("read", large)[0]) for _ in range(3)]
    ours, floor = (statistics.median(pair[i] for pair in pairs) for i in (0, 1))
    say("trend of 10,000,000 readings", ours / floor, LIMITS["trend"], f"{ours:.2f} s, floor {floor:.2f} s")
    peaks = run("hour", large)[1], run("hour", small)[1]
    ratio = peaks[0] / peaks[1]
    say(
        "memory for an hour of a log",
        ratio,
        LIMITS["signal_memory"],
        f"{peaks[0]:.0f} MB, of a tenth {peaks[1]:.0f} MB",
    )


def say(what: str, ratio: float, limit: float, seconds: str) -> None:
    """Print a ratio with its limit."""
    print(f"{what:28} {ratio:6.2f} × the floor  (at most {limit})   {seconds}")


def main() -> None:
    """Run the benchmarks."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        database, report = listing.make(folder)
        bench_start(folder)
        bench_window(folder)
        bench_edit(report)
        bench_to_pdf(folder, database, report)
        bench_fetches(folder)
        bench_million(folder)
        bench_signals(folder)
        bench_matrix()
        bench_charts()
        bench_statements()
        bench_deliveries()


if __name__ == "__main__":
    main()
