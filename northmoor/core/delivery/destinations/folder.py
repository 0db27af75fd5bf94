"""A folder: each file is put there whole, under a name that is noted before, so that it is there once."""

import os
import shutil
from pathlib import Path

from northmoor.core.base.atomic_write import cannot_write
from northmoor.core.delivery.archive.run_folder import digest
from northmoor.core.delivery.destinations.destination import FolderDestination
from northmoor.core.delivery.destinations.handing import Handed, Handing
from northmoor.core.errors import OutputError


def deliver(handing: Handing, destination: FolderDestination) -> Handed:
    """Put a run's files into a folder. Raises OutputError where the folder is not there or cannot be written."""
    folder = handing.path(destination.path)
    made_folder(folder)
    placed = []
    for file in handing.files:
        handing.stop.raise_if_cancelled()
        if destination.only and file.suffix.removeprefix(".") not in destination.only:
            continue
        target = _target(handing, destination, folder, file)
        if target is not None:
            placed.append(str(target))
    return Handed(files=tuple(placed))


def made_folder(folder: Path) -> None:
    """Make a folder whose parent is there. Raises OutputError."""
    try:
        folder.mkdir(exist_ok=True)
    except FileNotFoundError as error:
        raise OutputError(f"There is no folder {folder.parent}; make it, or mount what it is on.") from error
    except OSError as error:
        raise OutputError(f"The folder {folder} cannot be used: {error.strerror}.") from error


def _target(handing: Handing, destination: FolderDestination, folder: Path, file: Path) -> Path | None:
    """Where a file is now; None where one of its name is left as it is."""
    known = handing.notes.of(file.name)
    if known is not None and known.state == "done":
        return Path(known.text) if known.text else None
    if known is not None and known.state == "begun":
        target = Path(known.text)
        if target.is_file() and digest(target) == digest(file):
            handing.notes.note(file.name, "done", str(target))
            return target
    else:
        target = folder / file.name
        if target.exists() and destination.if_exists == "leave":
            handing.notes.note(file.name, "done")
            return None
        if destination.if_exists == "number":
            target = _free(target)
        handing.notes.note(file.name, "begun", str(target))
    put_whole(file, target)
    handing.notes.note(file.name, "done", str(target))
    return target


def _free(path: Path) -> Path:
    found, number = path, 2
    while found.exists():
        found, number = path.with_name(f"{path.stem} ({number}){path.suffix}"), number + 1
    return found


def put_whole(file: Path, target: Path) -> None:
    """Copy a file in one step. Raises OutputError; nothing is left half-written."""
    part = target.with_name(f".{target.name[:200]}.part")
    try:
        with file.open("rb") as source, part.open("wb") as written:
            shutil.copyfileobj(source, written, 1024 * 1024)
            written.flush()
            os.fsync(written.fileno())
        part.replace(target)
    except OSError as error:
        part.unlink(missing_ok=True)
        raise OutputError(cannot_write(target, error)) from error
