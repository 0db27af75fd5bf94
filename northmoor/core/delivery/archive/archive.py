"""The archive of a library: runs that are kept, found by what they are and what is on their pages."""

import shutil
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.delivery.archive.archive_index import INDEX_FILE, ArchiveIndex, IndexedRun, RunFilter
from northmoor.core.delivery.archive.run_folder import RunFolder, handed_over, making, read_run
from northmoor.core.delivery.archive.run_record import HandedOver, RunRecord
from northmoor.core.delivery.archive.run_texts import read_texts
from northmoor.core.errors import NorthmoorError, OutputError, ParameterError, ReportFileError

ARCHIVE_FOLDER = "archive"
_AT_ONCE = 500
"""Runs that are added to the index in one step when it is made again."""


class Archive:
    """The archive of a library."""

    def __init__(self, library_root: Path) -> None:
        """Open it, or make an empty one; what was interrupted before it was in the index is put there. Raises
        OutputError."""
        self.root = library_root / ARCHIVE_FOLDER
        self.index = ArchiveIndex(self.root / INDEX_FILE)
        self._catch_up()

    def _catch_up(self) -> None:
        for run_id, folder in self.index.coming():
            if Path(folder).name != run_id or ".." in Path(folder).parts:
                self.index.remove([run_id])
            elif (self.root / folder).is_dir():
                self._add(self.root / folder)
            elif not any(path.name == run_id for path, _ in making(self.root)):
                self.index.remove([run_id])

    def _add(self, folder: Path) -> None:
        with suppress(ReportFileError):  # a folder that somebody has damaged is passed over, and left as it is
            self.index.add(read_run(folder), folder.relative_to(self.root).as_posix(), read_texts(folder))

    def place(self, record: RunRecord) -> Path:
        """Where a run is kept: by its report, and the month."""
        stem = Path(record.report).stem or "report"
        return self.root / stem / f"{record.started:%Y-%m}" / record.id

    def keep(self, folder: RunFolder, record: RunRecord) -> Path:
        """Put a run that is made into its place and into the index; its folder there. Raises OutputError."""
        place = self.place(record)
        self.index.announce(record.id, place.relative_to(self.root).as_posix())
        folder.finish(record, place)
        self._add(place)
        return place

    def folder(self, run: IndexedRun) -> Path:
        """The folder of a run. Raises OutputError where an index that somebody else made leads out of the archive."""
        found = self.root / run.folder
        if Path(run.folder).is_absolute() or ".." in Path(run.folder).parts or found.name != run.id:
            raise OutputError(f"The index names {run.folder[:80]!r} for a run, which is none; make it again.")
        return found

    def run(self, name: str) -> IndexedRun:
        """The run of a name, or of what only its name begins or ends with. Raises ParameterError."""
        found = self.index.run(name) if name else None
        if found is None:
            raise ParameterError(
                f"The archive has no run {name!r}, or several; northmoor archive list names those there are."
            )
        return found

    def record(self, run: IndexedRun) -> RunRecord:
        """All that is kept of a run. Raises ReportFileError."""
        return read_run(self.folder(run))

    def handed_over(self, run: IndexedRun) -> list[HandedOver]:
        """Where a run went."""
        return handed_over(self.folder(run))

    def find(self, wanted: RunFilter, most: int = 200, skip: int = 0) -> list[IndexedRun]:
        """Runs, the newest first."""
        return self.index.find(wanted, most, skip)

    def remove(self, runs: list[IndexedRun]) -> None:
        """Remove runs with their folders. Raises OutputError."""
        for run in runs:
            folder = self.folder(run)
            try:
                if folder.is_dir():
                    gone = folder.with_name(f".{folder.name}.gone")  # one step, so that there is never half a run
                    folder.rename(gone)
                    shutil.rmtree(gone, ignore_errors=True)
            except OSError as error:
                raise OutputError(f"The run {run.id} cannot be removed: {error.strerror}.") from error
        self.index.remove([run.id for run in runs])

    def rebuild(
        self, stop: CancelToken | None = None, report_progress: Callable[[str], None] = lambda _: None
    ) -> list[str]:
        """Make the index of the folders again; what could not be read, as sentences. Raises Cancelled."""
        self.index.clear()
        faults: list[str] = []
        waiting: list[Path] = []

        def add() -> None:
            runs = []
            for folder in waiting:
                try:
                    runs.append((read_run(folder), folder.relative_to(self.root).as_posix(), read_texts(folder)))
                except NorthmoorError as error:
                    faults.append(f"{folder.relative_to(self.root)}: {error.message}")
            self.index.add_all(sorted(runs, key=lambda run: (run[0].started, run[0].id)))
            waiting.clear()

        for count, folder in enumerate(self.folders(), 1):
            if stop is not None:
                stop.raise_if_cancelled()
            waiting.append(folder)
            if len(waiting) == _AT_ONCE:
                add()
                report_progress(f"{count:,} runs")
        add()
        return faults

    def folders(self) -> Iterator[Path]:
        """The folders of all runs, month by month."""
        months = (month for report in self.root.glob("[!.]*/") for month in report.glob("[0-9]*-[0-9]*/"))
        for month in sorted(months):
            yield from sorted(path for path in month.iterdir() if path.is_dir() and not path.name.startswith("."))

    def close(self) -> None:
        """Close it."""
        self.index.close()
