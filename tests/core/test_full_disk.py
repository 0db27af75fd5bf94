"""A disk that is really full: what is written to it says so, keeps no half of a file, and the others go on."""

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
from pydantic import TypeAdapter

from northmoor.core.delivery.archive.archive_index import RunFilter
from northmoor.core.delivery.destinations.destination import Destination
from northmoor.core.delivery.destinations.hand_over import hand_over
from northmoor.core.delivery.destinations.handing import UnitNotesInMemory
from northmoor.core.delivery.library_delivery import LibraryDelivery
from northmoor.core.errors import OutputError
from tests.core.test_cli import northmoor, printed
from tests.delivery_helpers import delivery_library, make, request


@pytest.fixture
def disk(tmp_path: Path) -> Iterator[Path]:
    """A disk of a few kilobytes, most of which are taken."""
    folder = tmp_path / "disk"
    folder.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", "size=512k", "tmpfs", str(folder)], capture_output=True)
    if mounted.returncode:
        pytest.skip("this user may not mount a disk")
    (folder / "filler").write_bytes(bytes(508 * 1024))
    yield folder
    subprocess.run(["umount", "--lazy", str(folder)], check=True)


def test_a_destination_that_is_full_gets_no_half_file(tmp_path: Path, disk: Path) -> None:
    root = delivery_library(tmp_path / "library")
    record, folder = make(root, request(root))
    target: Destination = TypeAdapter(Destination).validate_python({"kind": "folder", "path": str(disk)})
    notes = UnitNotesInMemory()
    (sentence,) = hand_over(root, folder, target, notes).faults
    assert sentence == f"{disk}/Listing.pdf cannot be written: the disk is full. Make room on it, and try again."
    assert [path.name for path in disk.iterdir()] == ["filler"]
    (disk / "filler").unlink()  # there is room again
    assert hand_over(root, folder, target, notes).faults == ()
    assert (disk / record.files[0].name).read_bytes() == (folder / "files" / record.files[0].name).read_bytes()


def test_an_output_that_finds_no_room_keeps_what_was_there(demo: Path, disk: Path) -> None:
    for suffix in ("pdf", "xlsx", "html", "csv", "docx", "ods"):
        there = disk / f"there.{suffix}"
        there.write_bytes(b"before")
        done = northmoor("run", demo / "reports" / "fares-by-route.moor", "--out", there)
        assert done.returncode == 1
        assert printed(done) == f"{there} cannot be written: the disk is full. Make room on it, and try again."
        assert there.read_bytes() == b"before"
        there.unlink()
    assert [path.name for path in disk.iterdir()] == ["filler"]


def test_an_archive_that_is_full_loses_no_run(tmp_path: Path, disk: Path) -> None:
    root = delivery_library(tmp_path / "library")
    (root / "archive").symlink_to(disk)
    with pytest.raises(
        OutputError, match=f"The disk of the archive {root}/archive is full. Make room on it, and try again."
    ):
        make(root, request(root))
    (disk / "filler").unlink()
    LibraryDelivery(root).close()  # an empty archive
    free = os.statvfs(disk).f_bavail * os.statvfs(disk).f_frsize
    for kept in (12, 40, 72, 110):  # the index, what it notes, what is kept of a run, its folder: each fails by itself
        (disk / "filler").write_bytes(bytes(free - kept * 1024))
        with pytest.raises(OutputError, match=r"disk.* is full\. Make room on it, and try again\."):
            make(root, request(root))
        (disk / "filler").unlink()
    record, _ = make(root, request(root))
    assert record.state == "done"
    delivery = LibraryDelivery(root)
    assert [run.id for run in delivery.archive.find(RunFilter())] == [record.id]
    delivery.close()
