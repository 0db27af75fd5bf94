"""What a child is asked for about pictures: the pixels of a PNG or JPEG, and the paths of a drawing."""

import io
import warnings
import zlib
from collections.abc import Iterator

from northmoor.core.base.apart.task import Result
from northmoor.core.errors import LayoutError
from northmoor.core.layout.graphics.picture_exchange import drawing_result, pixels_result

MOST_PIXELS = 40_000_000


def read_drawing(data: bytes) -> Iterator[Result]:
    """The paths of an SVG file. Raises LayoutError."""
    from northmoor.core.layout.graphics.svg import read_svg  # its readers are loaded on first use

    yield drawing_result(read_svg(data))


def read_pixels(data: bytes) -> Iterator[Result]:
    """The pixels of a PNG, or that a JPEG is one. Raises LayoutError."""
    from PIL import Image  # loaded on first use

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error")
            with Image.open(io.BytesIO(data), formats=("PNG", "JPEG")) as image:
                if image.width * image.height > MOST_PIXELS:
                    raise LayoutError(f"It has more than {MOST_PIXELS:,} pixels; use a smaller one.")
                image.load()
                if image.format == "JPEG" and image.mode in ("RGB", "L"):
                    yield pixels_result(image.size, gray=image.mode == "L")
                    return
                rgba = image.convert("RGBA")
    except (OSError, ValueError, SyntaxError, Warning, Image.DecompressionBombError) as error:
        raise LayoutError("It is no PNG, JPEG or SVG that can be read; save it again.") from error
    alpha = rgba.getchannel("A")
    is_opaque = alpha.getextrema() == (255, 255)
    pixels = zlib.compress(rgba.convert("RGB").tobytes(), 6)
    yield pixels_result(rgba.size, pixels, None if is_opaque else zlib.compress(alpha.tobytes(), 6))
