"""Names of files that any file system takes, made of what a report says."""

import re
import unicodedata

_REFUSED = re.compile(r'[\x00-\x1f\x7f<>:"/\\|?*\u2028\u2029]+')
_DEVICES = re.compile(r"(con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?", re.IGNORECASE)
LONGEST = 140
"""Bytes of a name without its ending: some file systems allow 143."""
NAMELESS = "report"


def safe_name(text: str) -> str:
    """A text as the name of a file, without an ending: what no file system takes is a dash, and it is no longer than
    they allow. A text with nothing in it is ``report``."""
    plain = unicodedata.normalize("NFC", text)
    plain = "".join(char for char in plain if unicodedata.category(char) not in ("Cs", "Cf", "Cc") or char == "\n")
    name = " ".join(_REFUSED.sub("-", plain).split()).strip(" .-")
    if _DEVICES.fullmatch(name):
        name = f"_{name}"
    while len(name.encode()) > LONGEST:
        name = name[:-1]
    return name.rstrip(" .") or NAMELESS


class UniqueNames:
    """Names that differ from one another also where large and small letters are alike."""

    def __init__(self) -> None:
        self._taken: dict[str, int] = {}

    def of(self, text: str) -> str:
        """A safe name for a text, with a number where it is taken."""
        name = safe_name(text)
        while (count := self._taken.get(name.casefold(), 0)) > 0:
            self._taken[name.casefold()] = count + 1
            name = f"{name} {count + 1}"
        self._taken[name.casefold()] = 1
        return name
