"""Pictures from files: read within limits, as pixels that every output can place."""

import hashlib
import warnings
import zlib
from pathlib import Path

from PIL import Image

from northmoor.core.errors import LayoutError
from northmoor.core.layout.context import Setting
from northmoor.core.layout.display import Picture

MOST_PIXELS = 40_000_000
MOST_BYTES = 50_000_000


def load_picture(file: str, setting: Setting) -> Picture:
    """The picture of a file named in the report.

    Raises ReportFileError when it lies outside the library, LayoutError when it is missing, too large, or no PNG
    or JPEG.
    """
    path = setting.picture_path(file)
    try:
        key = ("picture", path, path.stat().st_mtime_ns)
    except OSError as error:
        raise LayoutError(f"There is no picture {file!r} in the library; put it there.") from error
    return setting.kept.get(key, lambda: _load(path, file))


def _load(path: Path, file: str) -> Picture:
    if path.stat().st_size > MOST_BYTES:
        raise LayoutError(f"The picture {file!r} is larger than {MOST_BYTES // 1_000_000} MB; use a smaller one.")
    data = path.read_bytes()
    digest = hashlib.sha256(data).hexdigest()[:32]
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            with Image.open(path, formats=("PNG", "JPEG")) as image:
                if image.width * image.height > MOST_PIXELS:
                    raise LayoutError(f"The picture {file!r} has more than {MOST_PIXELS:,} pixels; use a smaller one.")
                image.load()
                return _picture(image, data, digest)
    except (OSError, ValueError, SyntaxError, Warning, Image.DecompressionBombError) as error:
        raise LayoutError(f"{file!r} is no PNG or JPEG picture that can be read; save it anew.") from error


def _picture(image: Image.Image, data: bytes, digest: str) -> Picture:
    if image.format == "JPEG" and image.mode in ("RGB", "L"):
        return Picture(digest, image.size, True, data, gray=image.mode == "L")
    rgba = image.convert("RGBA")
    alpha = rgba.getchannel("A")
    is_opaque = alpha.getextrema() == (255, 255)
    pixels = zlib.compress(rgba.convert("RGB").tobytes(), 6)
    return Picture(digest, image.size, False, pixels, None if is_opaque else zlib.compress(alpha.tobytes(), 6))


def width_at(picture: Picture, height: int) -> int:
    """The width of a picture at a height, keeping its proportions."""
    return height * picture.pixels[0] // max(picture.pixels[1], 1)
