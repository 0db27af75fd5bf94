"""The structure of a PDF file, written from front to back (ISO 32000-1, 7.5): what is kept of an object is its place.

Streams are written as they come; other objects are packed in groups. There is no clock and no chance in the bytes.
"""

import hashlib
from array import array
from collections import deque
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from itertools import pairwise
from typing import BinaryIO

import numpy as np
import pyarrow as pa

from northmoor.core.base.arrays import Ints
from northmoor.core.expr.text_concat import concat_lists
from northmoor.core.output.pdf.deflate_streams import deflated, deflated_quickly

_GROUP = 200
"""How many objects are packed together."""
_MANY, _MOST_WAITING = 8000, 16
"""How many of very many objects are packed together, and how many calls with such wait to be written."""
_MANY_OBJECTS = 200_000
"""A file of more says quickly where they are, though in more bytes."""
_PackedStream = tuple[int, dict[str, bytes], bytes]
"""A stream's number, the entries of its dictionary, and its compressed data."""
_HEADER = b"%PDF-1.7\n%\xe2\xe3\xcf\xd3\n"


class PdfFile:
    """A PDF file that is being written; objects have numbers from 1."""

    def __init__(self, target: BinaryIO) -> None:
        self._target = target
        self._length = 0
        self._digest = hashlib.md5(usedforsecurity=False)
        # For each number its kind (0 none, 1 by itself, 2 in a group), its place or its group, and its place in that.
        self._kinds, self._places, self._within = array("B", [0]), array("Q", [0]), array("H", [0xFFFF])
        self._group: list[tuple[int, bytes]] = []
        self._pool: ThreadPoolExecutor | None = None
        self._waiting: deque[Future[list[_PackedStream]]] = deque()
        self._write(_HEADER)

    def number(self) -> int:
        """A number for an object that is added later."""
        self._kinds.append(0)
        self._places.append(0)
        self._within.append(0)
        return len(self._kinds) - 1

    def numbers(self, count: int) -> int:
        """Numbers for several objects that follow one another; the first."""
        first = len(self._kinds)
        self._kinds.frombytes(bytes(count))
        self._places.frombytes(bytes(8 * count))
        self._within.frombytes(bytes(2 * count))
        return first

    def add_many(self, numbers: Ints, write: Callable[[], pa.BinaryArray]) -> None:
        """Add objects that are no streams, by the numbers they have; `write` gives them all as they are written, and
        is called on another core."""
        if not len(numbers):
            return
        streams = -(-len(numbers) // _MANY)
        own = self.numbers(streams) + np.arange(streams)
        np.frombuffer(self._kinds, np.uint8)[numbers] = 2
        np.frombuffer(self._places, np.uint64)[numbers] = np.repeat(own, _MANY)[: len(numbers)]
        np.frombuffer(self._within, np.uint16)[numbers] = np.arange(len(numbers)) % _MANY
        self._write_later(partial(_packed_groups, own, numbers, write))

    def _write_later(self, pack: Callable[[], list[_PackedStream]]) -> None:
        if self._pool is None:
            self._pool = ThreadPoolExecutor(1)
        self._waiting.append(self._pool.submit(pack))
        while len(self._waiting) > _MOST_WAITING:
            self._write_waiting()

    def _write_waiting(self) -> None:
        for number, entries, packed in self._waiting.popleft().result():
            self._put_stream(number, entries, packed, is_packed=True)

    def add(self, body: bytes, number: int | None = None) -> int:
        """Add an object that is no stream; its number."""
        number = self.number() if number is None else number
        self._group.append((number, body))
        if len(self._group) == _GROUP:
            self._write_group()
        return number

    def add_stream(self, entries: Mapping[str, bytes], data: bytes, is_packed: bool = False) -> int:
        """Add a stream with the entries of its dictionary; `is_packed` when the data are deflated already."""
        return self._put_stream(self.number(), entries, data, is_packed)

    def add_plain_stream(self, entries: Mapping[str, bytes], data: bytes) -> int:
        """Add a stream that any program can read as it is."""
        number = self.number()
        own = {**entries, "Length": b"%d" % len(data)}
        self._kinds[number], self._places[number] = 1, self._length
        self._write(b"%d 0 obj\n%b\nstream\n%b\nendstream\nendobj\n" % (number, dictionary(own), data))
        return number

    def close(self, catalog: int, information: int) -> None:
        """Write what is left, and where everything is."""
        if self._group:
            self._write_group()
        while self._waiting:
            self._write_waiting()
        if self._pool is not None:
            self._pool.shutdown()
        own = self.number()
        self._kinds[own], self._places[own] = 1, self._length
        table = np.empty((len(self._kinds), 8), np.uint8)
        table[:, 0] = self._kinds
        table[:, 1:6] = np.array(self._places, ">u8").view(np.uint8).reshape(-1, 8)[:, 3:]
        table[:, 6:] = np.array(self._within, ">u2").view(np.uint8).reshape(-1, 2)
        digest = self._digest.hexdigest().encode()
        entries = {
            "Type": b"/XRef", "Size": b"%d" % len(self._kinds), "W": b"[1 5 2]", "Root": reference(catalog),
            "Info": reference(information), "ID": b"[<%b> <%b>]" % (digest, digest),
        }  # fmt: skip
        start = self._length
        deflate = deflated if len(table) < _MANY_OBJECTS else deflated_quickly
        self._put_stream(own, entries, deflate(table.tobytes()), is_packed=True)
        self._write(b"startxref\n%d\n%%%%EOF\n" % start)

    def _put_stream(self, number: int, entries: Mapping[str, bytes], data: bytes, is_packed: bool) -> int:
        own = dict(entries)
        if not is_packed and "Filter" not in own:
            data, is_packed = deflated(data), True
        if is_packed:
            own["Filter"] = b"/FlateDecode"
        own["Length"] = b"%d" % len(data)
        self._kinds[number], self._places[number] = 1, self._length
        self._write(b"%d 0 obj\n%b\nstream\n%b\nendstream\nendobj\n" % (number, dictionary(own), data))
        return number

    def _write_group(self) -> None:
        """Write an object stream (ISO 32000-1, 7.5.7)."""
        group, self._group = self._group, []
        own = self.number()
        starts, length = [], 0
        for at, (number, body) in enumerate(group):
            self._kinds[number], self._places[number], self._within[number] = 2, own, at
            starts.append(b"%d %d" % (number, length))
            length += len(body) + 1
        index = b" ".join(starts) + b"\n"
        entries = {"Type": b"/ObjStm", "N": b"%d" % len(group), "First": b"%d" % len(index)}
        written = index + b"\n".join([body for _, body in group])
        if self._pool is None:
            self._put_stream(own, entries, written, is_packed=False)
        else:
            self._write_later(lambda: [(own, entries, deflated_quickly(written))])

    def _write(self, data: bytes) -> None:
        self._target.write(data)
        self._digest.update(data)
        self._length += len(data)


def _packed_groups(own: Ints, numbers: Ints, write: Callable[[], pa.BinaryArray]) -> list[_PackedStream]:
    """Object streams (ISO 32000-1, 7.5.7) of very many objects: each by its `own` number, with the next of `numbers`.

    Each step is taken for all together, as each may have to wait for the thread that makes the pages.
    """
    bodies = write()
    offsets = np.frombuffer(bodies.buffers()[1], np.int32)[bodies.offset : bodies.offset + len(bodies) + 1]
    begins = np.append(np.arange(0, len(numbers), _MANY), len(numbers))
    within = offsets[:-1] - np.repeat(offsets[begins[:-1]], np.diff(begins))
    index = pa.array(np.stack([numbers, within], axis=1).ravel()).cast(pa.string()).cast(pa.binary())
    indexes = concat_lists(pa.ListArray.from_arrays(pa.array((2 * begins).astype(np.int32)), index), b" ")
    data = memoryview(bodies.buffers()[2] or b"")
    packed: list[_PackedStream] = []
    bounds = zip(pairwise(begins.tolist()), pairwise(offsets[begins].tolist()), strict=True)
    for number, places, ((first, end), (begin, after)) in zip(own.tolist(), indexes.to_pylist(), bounds, strict=True):
        entries = {"Type": b"/ObjStm", "N": b"%d" % (end - first), "First": b"%d" % (len(places) + 1)}
        packed.append((number, entries, deflated_quickly(b"".join((places, b" ", data[begin:after])))))
    return packed


def reference(number: int) -> bytes:
    """An object's number where another names it."""
    return b"%d 0 R" % number


def dictionary(entries: Mapping[str, bytes]) -> bytes:
    """A dictionary of values as they are written."""
    return b"<<%b>>" % b" ".join([b"/%b %b" % (name.encode(), value) for name, value in entries.items()])


def listed(values: Iterable[bytes]) -> bytes:
    """An array of values as they are written."""
    return b"[%b]" % b" ".join(values)


def string(text: str) -> bytes:
    """A text: as it is where it is ASCII, in UTF-16 with its mark else (ISO 32000-1, 7.9.2.2)."""
    if text.isascii() and text.isprintable():
        return b"(%b)" % text.replace("\\", r"\\").replace("(", r"\(").replace(")", r"\)").encode()
    return b"<feff%b>" % text.encode("utf-16-be", "surrogatepass").hex().encode()


def points(length: int) -> bytes:
    """A length in millipoints as points."""
    return b"%.3f" % (length / 1000) if length % 1000 else b"%d" % (length // 1000)
