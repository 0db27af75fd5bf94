"""Code 128 (ISO/IEC 15417), code set B: a text of printable ASCII as the widths of bars and gaps."""

from northmoor.core.errors import LayoutError

QUIET = 10
"""Modules that stay empty before and after the bars."""
_START_B, _STOP = 104, 106
_MOST = 80
_TABLE = """
212222 222122 222221 121223 121322 131222 122213 122312 132212 221213 221312 231212 112232 122132 122231 113222 123122
123221 223211 221132 221231 213212 223112 312131 311222 321122 321221 312212 322112 322211 212123 212321 232121 111323
131123 131321 112313 132113 132311 211313 231113 231311 112133 112331 132131 113123 113321 133121 313121 211331 231131
213113 213311 213131 311123 311321 331121 312113 312311 332111 314111 221411 431111 111224 111422 121124 121421 141122
141221 112214 112412 122114 122411 142112 142211 241211 221114 413111 241112 134111 111242 121142 121241 114212 124112
124211 411212 421112 421211 212141 214121 412121 111143 111341 131141 114113 114311 411113 411311 113141 114131 311141
411131 211412 211214 211232 2331112
"""
WIDTHS = tuple(_TABLE.split())
"""For each value of the code, the widths of its bars and gaps in modules, beginning with a bar."""


def symbol_values(text: str) -> list[int]:
    """The values of a text's code: start, characters, check, stop. Raises LayoutError for other characters."""
    strange = next((char for char in text if not " " <= char <= "~"), None)
    if strange is not None:
        raise LayoutError(f"A barcode holds letters, digits and signs of ASCII; {strange!r} in {text[:40]!r} is none.")
    if len(text) > _MOST:
        raise LayoutError(f"A barcode holds at most {_MOST} characters here; this text has {len(text):,}.")
    values = [_START_B, *(ord(char) - 32 for char in text)]
    check = (values[0] + sum(at * value for at, value in enumerate(values))) % 103
    return [*values, check, _STOP]


def bars_of(text: str) -> tuple[int, tuple[tuple[int, int], ...]]:
    """How many modules a text's code is wide, quiet zones included, and each bar's place and width in modules."""
    place, bars = QUIET, []
    for value in symbol_values(text):
        for at, width in enumerate(map(int, WIDTHS[value])):
            if at % 2 == 0:
                bars.append((place, width))
            place += width
    return place + QUIET, tuple(bars)
