"""A real CUPS of the tests' own, whose printer writes what it prints to a file."""

import io
import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import pikepdf
import pytest
from pdfminer.high_level import extract_text

from northmoor.core.errors import OutputError
from northmoor.core.export.printing import PrintOrder, print_pdf
from tests.core.test_cli import northmoor
from tests.helpers import render, report_of, script_of, table_of

PRINTER = "quay"
_DRIVER = "lsb/usr/cupsfilters/Generic-PDF_Printer-PDF.ppd"
_OPEN_TO_ALL = """
WebInterface No
Browsing No
DefaultAuthType None
<Location />
Order allow,deny
Allow all
</Location>
<Policy default>
<Limit All>
Order deny,allow
Allow all
</Limit>
</Policy>
"""


class Cups:
    """A running CUPS with one printer."""

    def __init__(self, folder: Path) -> None:
        self.socket, self.printed = folder / "s", folder / "printed.pdf"
        for name in ("requests", "cache", "state", "temporary"):
            (folder / name).mkdir()
            shutil.chown(folder / name, "root", "lp")
            (folder / name).chmod(0o1777)
        settings, files = folder / "cupsd.conf", folder / "cups-files.conf"
        settings.write_text(f"Listen {self.socket}\n{_OPEN_TO_ALL}")
        files.write_text(
            f"ServerRoot {folder}\nRequestRoot {folder}/requests\nCacheDir {folder}/cache\nStateDir {folder}/state\n"
            f"TempDir {folder}/temporary\nErrorLog {folder}/errors\nAccessLog {folder}/access\nPageLog {folder}/pages\n"
            "FileDevice Yes\nSandboxing relaxed\nSystemGroup root\n"
        )
        self._log = folder / "errors"
        self._process = subprocess.Popen([_CUPSD, "-f", "-c", str(settings), "-s", str(files)])
        self._until(self.socket.exists)
        self.printed.touch()
        self.printed.chmod(0o666)
        self.control("lpadmin", "-p", PRINTER, "-E", "-v", f"file:{self.printed}", "-m", _DRIVER)

    def control(self, *command: str) -> str:
        """Do one of its commands; what it writes."""
        done = subprocess.run(
            command, env={**os.environ, "CUPS_SERVER": str(self.socket)}, capture_output=True, text=True, timeout=20
        )
        assert done.returncode == 0, done.stderr
        return done.stdout

    def pages(self) -> list[str]:
        """The texts of the pages that were printed last, once nothing waits any more."""
        self._until(lambda: not self.control("lpstat", "-o") and self.printed.stat().st_size)
        job = self.printed.read_bytes()
        found = job[job.index(b"%PDF") : job.rindex(b"%%EOF") + 6]  # what the printer is given is around it
        self.printed.write_bytes(b"")  # what is printed next does not come after it
        with pikepdf.open(io.BytesIO(found)) as pdf:
            count = len(pdf.pages)
        return [extract_text(io.BytesIO(found), page_numbers=[number]) for number in range(count)]

    def _until(self, is_done: object) -> None:
        patience = time.monotonic() + 30
        while not is_done():  # type: ignore[operator]
            assert time.monotonic() < patience, self._log.read_text()[-2_000:] if self._log.exists() else "no CUPS"
            time.sleep(0.05)

    def close(self) -> None:
        self._process.terminate()
        self._process.wait(20)


_CUPSD = shutil.which("cupsd", path="/usr/sbin:/usr/bin") or ""


@pytest.fixture(scope="module")
def cups() -> Iterator[Cups]:
    if not _CUPSD or os.getuid() != 0:
        pytest.skip("CUPS is not here, or this user may not start it")
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)  # its filters run as another user
        found = Cups(Path(folder))
        yield found
        found.close()


@pytest.fixture
def at_cups(cups: Cups, monkeypatch: pytest.MonkeyPatch) -> Cups:
    monkeypatch.setenv("CUPS_SERVER", str(cups.socket))
    return cups


def test_pages_arrive_as_they_were_ordered(library: object, at_cups: Cups) -> None:
    rows = script_of([f"row {n}" for n in range(50)])
    pages = render(report_of(table_of("t", rows_per_page=10)), library(rows)).pdf()  # type: ignore[operator]
    assert print_pdf(pages, "A list (of rows)", PrintOrder(PRINTER, pages="2-3", copies=2)) == f"Printed on {PRINTER}"
    printed = at_cups.pages()
    assert ["row 10" in text for text in printed] == [True, False, True, False]
    assert ["row 29" in text for text in printed] == [False, True, False, True]


def test_a_printer_that_takes_nothing_says_so(library: object, at_cups: Cups) -> None:
    pages = render(report_of(table_of("t")), library(script_of(["row"]))).pdf()  # type: ignore[operator]
    at_cups.control("cupsreject", "-r", "out of paper", PRINTER)
    with pytest.raises(OutputError, match=f"The printer {PRINTER} does not take it: .*not accepting jobs"):
        print_pdf(pages, "A list", PrintOrder(PRINTER))
    at_cups.control("cupsaccept", PRINTER)
    with pytest.raises(OutputError, match="The printer nowhere does not take it: The printer or class does not exist"):
        print_pdf(pages, "A list", PrintOrder("nowhere"))


def test_a_run_is_printed_from_the_command_line(demo: Path, at_cups: Cups) -> None:
    done = northmoor("print", demo / "reports" / "fares-by-route.moor", "--printer", PRINTER, "--set", "year=2024")
    assert (done.returncode, done.stdout) == (0, f"Printed on {PRINTER}\n")
    (first, *_) = at_cups.pages()
    assert "2024" in first
