"""The shipped fonts as they are embedded in what browsers show: only the characters that are used."""

import base64
from collections.abc import Mapping
from functools import lru_cache

import uharfbuzz as hb

from northmoor.core.layout.text.fonts import fallback_file, open_font

_LAYOUT = ("kern", "tnum", "mark", "mkmk", "ccmp", "locl")


def family_of(file: str) -> str:
    """The families in which a text of a font file is written, as CSS names them; the second has what it lacks."""
    return f'"{file}","{fallback_file(file)}"'


def font_faces(used: Mapping[str, set[str]]) -> str:
    """The CSS that embeds fonts, by the characters that are used of each."""
    by_file: dict[str, set[str]] = {}
    for file, characters in used.items():
        known = open_font(file).characters
        own = {char for char in characters if ord(char) in known}
        by_file.setdefault(file, set()).update(own)
        if rest := characters - own:
            by_file.setdefault(fallback_file(file), set()).update(rest)
    rules = []
    for file, characters in sorted(by_file.items()):
        data = base64.b64encode(web_font(file, "".join(sorted(characters)))).decode()
        rules.append(f'@font-face{{font-family:"{file}";src:url(data:font/ttf;base64,{data})}}')
    return "".join(rules)


@lru_cache(maxsize=64)
def web_font(file: str, characters: str) -> bytes:
    """A font file with the glyphs of some characters only, and the tables that browsers need."""
    wanted = hb.SubsetInput()
    wanted.unicode_set.update({ord(char) for char in characters})
    wanted.layout_feature_tag_set.clear()
    wanted.layout_feature_tag_set.update({int.from_bytes(tag.encode(), "big") for tag in _LAYOUT})
    wanted.flags = hb.SubsetFlags.NO_HINTING | hb.SubsetFlags.NOTDEF_OUTLINE
    return bytes(hb.subset(open_font(file).face, wanted).blob.data)
