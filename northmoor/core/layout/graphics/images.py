"""Pictures: read within limits, as pixels or as paths that every output can place, and fitted into boxes."""

import base64
import binascii
import stat
from pathlib import Path

from msgspec import Struct

from northmoor.core.base.apart.reader_process import ask_apart
from northmoor.core.base.apart.task import Task
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import LayoutError, Place, QueryError, ReportFileError
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.graphics.display_list import AnyPicture, Picture
from northmoor.core.layout.graphics.picture_exchange import drawing_of, pixels_of
from northmoor.core.model.blocks.picture import PictureBlock

MOST_PICTURE_BYTES = 50_000_000
_LONGEST_READING = 30
"""Seconds."""
_ENCODED = ("iVBORw0KGgo", "/9j/", "PHN2Z", "PD94b")
"""How PNG, JPEG and SVG begin in base64."""
_HEX = ("89504e470d0a1a0a", "ffd8ff", "3c737667", "3c3f786d6c")


def load_picture(file: str, context: LayoutContext) -> AnyPicture:
    """The picture of a file named in the report.

    Raises ReportFileError when it lies outside the library, LayoutError when it is missing, too large, or no PNG, JPEG
    or SVG.
    """
    path = context.path_of(file)
    try:
        found = path.stat()
    except OSError as error:
        raise LayoutError(f"There is no picture {file[:80]!r} in the library; put it there.") from error
    if not stat.S_ISREG(found.st_mode):
        raise LayoutError(f"{file!r} is a folder or device of the library and no picture; name a file.")
    key = ("picture", path, found.st_mtime_ns)
    return context.cache.get(key, lambda: _of_file(path, file, context.stop))


def _of_file(path: Path, file: str, stop: CancelToken) -> AnyPicture:
    if path.stat().st_size > MOST_PICTURE_BYTES:
        raise LayoutError(
            f"The picture {file!r} is larger than {MOST_PICTURE_BYTES // 1_000_000} MB; use a smaller one."
        )
    return read_picture(path.read_bytes(), f"The picture {file!r}", stop)


def read_picture(data: bytes, what: str, stop: CancelToken) -> AnyPicture:
    """The picture that bytes are, read by a process of its own. Raises LayoutError, and Cancelled at once when work is
    stopped."""
    is_drawing = _is_svg(data)
    task = Task("northmoor.core.layout.graphics.picture_tasks", "read_drawing" if is_drawing else "read_pixels")
    try:
        (found,) = ask_apart(task, (data,), stop, "It", _LONGEST_READING)
    except (LayoutError, QueryError) as error:
        raise LayoutError(f"{what}: {error.message[0].lower()}{error.message[1:]}") from error
    return drawing_of(data, found) if is_drawing else pixels_of(data, found)


def _is_svg(data: bytes) -> bool:
    return data[:400].lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"<") and b"<svg" in data[:4000]


def picture_of_value(value: object, context: LayoutContext) -> AnyPicture:
    """The picture that a column holds: bytes, their base64 or hexadecimal text, a data URI (RFC 2397) or a path in the
    library. Raises like `load_picture`."""
    if isinstance(value, bytes):
        return read_picture(value, "The picture of the column", context.stop)
    text = str(value).strip()
    encoded = text.partition(",")[2] if text.startswith("data:") else text
    is_hex = encoded[:40].lower().startswith(_HEX)
    if not (is_hex or text.startswith(("data:", *_ENCODED))):
        return load_picture(text, context)
    if len(encoded) > 2 * MOST_PICTURE_BYTES:
        raise LayoutError(
            f"The picture of the column is larger than {MOST_PICTURE_BYTES // 1_000_000} MB; use a smaller one."
        )
    try:
        data = bytes.fromhex(encoded) if is_hex else base64.b64decode("".join(encoded.split()), validate=True)
    except (ValueError, binascii.Error) as error:
        raise LayoutError("The picture of the column is no base64 text; look at its value in Data.") from error
    return read_picture(data, "The picture of the column", context.stop)


def picture_or_fault(file: str, block: str, context: LayoutContext) -> AnyPicture | str:
    """The picture of a file, or why there is none; that, and what of it is left out, is noted as a finding."""
    try:
        found = load_picture(file, context)
    except (LayoutError, ReportFileError) as error:
        context.find("picture", Place(block=block), error.message)
        return error.message
    report_omissions(found, Place(block=block), context)
    return found


def report_omissions(picture: AnyPicture, place: Place, context: LayoutContext) -> None:
    """Note what of a drawing is not drawn."""
    if isinstance(picture, Picture):
        return
    context.note_missing(place, picture.missing)
    if picture.left_out:
        message = f"Of its drawing, this is left out: {', '.join(picture.left_out)}."
        context.find("picture", place, message, is_error=False)


def width_at(picture: AnyPicture, height: int) -> int:
    """The width of a picture at a height, keeping its proportions."""
    return height * picture.pixels[0] // max(picture.pixels[1], 1)


class FittedPicture(Struct, frozen=True):
    """A picture in a box: the rectangle that is seen of it (from the box's corner), and that of all of it where it is
    larger."""

    visible: tuple[int, int, int, int]
    whole: tuple[int, int, int, int] | None = None


def size_of(block: PictureBlock, picture: AnyPicture, room: int) -> tuple[int, int]:
    """Width and height of a picture block in a room; without a width, that follows from what is seen of the picture."""
    height = block.height
    if block.width is not None:
        return min(block.width, room), height
    across, down = _visible_part(block, picture)
    width = round(height * across / down)
    return (width, height) if width <= room else (room, max(round(height * room / width), 1))


def _visible_part(block: PictureBlock, picture: AnyPicture) -> tuple[float, float]:
    """Width and height of what is left of a picture when its edges are cut off."""
    width, height = picture.pixels
    return width * (1 - block.crop_left - block.crop_right), height * (1 - block.crop_top - block.crop_bottom)


def fitted(block: PictureBlock, picture: AnyPicture, width: int, height: int) -> FittedPicture:
    """A picture in a box: all of it inside, or all of the box filled, or both by stretching it."""
    across, down = _visible_part(block, picture)
    scale_x, scale_y = width / across, height / down
    if block.fit != "stretch":
        scale_x = scale_y = min(scale_x, scale_y) if block.fit == "whole" else max(scale_x, scale_y)
    shown_x, shown_y = round(across * scale_x), round(down * scale_y)
    seen_x, seen_y = min(shown_x, width), min(shown_y, height)
    left = {"start": 0, "center": (width - seen_x) // 2, "end": width - seen_x, "decimal": 0}[block.align]
    top = (height - seen_y) // 2
    whole = (
        left - (shown_x - seen_x) // 2 - round(picture.pixels[0] * block.crop_left * scale_x),
        top - (shown_y - seen_y) // 2 - round(picture.pixels[1] * block.crop_top * scale_y),
        round(picture.pixels[0] * scale_x), round(picture.pixels[1] * scale_y),
    )  # fmt: skip
    seen = (left, top, seen_x, seen_y)
    return FittedPicture(seen, None if whole == seen else whole)
