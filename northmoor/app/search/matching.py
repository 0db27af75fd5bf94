"""What can be found, and how well it fits what is typed: whole words first, then their beginnings, parts and letters in
order, so that a slip or an abbreviation still finds it."""

from collections.abc import Callable, Sequence
from itertools import pairwise

from msgspec import Struct

MOST_FOUND = 200
_WHOLE, _START, _INSIDE, _LETTERS = 8, 6, 4, 1
_MOST_GAP = 3
"""How many letters may be between two typed ones."""


class PaletteEntry(Struct, frozen=True):
    """Something that can be found: what it is called, what kind of thing it is or where else it is offered, what
    choosing it does, the keys that do the same, and other words by which it is found."""

    text: str
    kind: str
    drawing: str
    run: Callable[[], object]
    keys: str = ""
    other_words: str = ""


def matching(entries: Sequence[PaletteEntry], words: str, recent: Sequence[str] = ()) -> list[PaletteEntry]:
    """Entries that fit every word, the best first, in the order of the words a little better; of those that fit as
    well, what was chosen lately comes first."""
    wanted = words.lower().split()
    rank = {text: len(recent) - at for at, text in enumerate(recent)}
    scored = []
    for at, entry in enumerate(entries):
        found = [_score(word, entry, is_first=number == 0) for number, word in enumerate(wanted)]
        if all(found):
            places = [entry.text.lower().find(word) for word in wanted]
            is_in_order = -1 not in places and places == sorted(places)
            scored.append((-sum(found) - is_in_order, -rank.get(entry.text, 0), at, entry))
    return [entry for *_, entry in sorted(scored, key=lambda each: each[:3])[:MOST_FOUND]]


def _score(word: str, entry: PaletteEntry, is_first: bool) -> int:
    """How well a typed word fits an entry; 0 if not at all."""
    text = entry.text.lower()
    if is_first and text.startswith(word):
        return _WHOLE + 1
    besides = max(_fit(word, f"{entry.kind} {entry.keys}".lower()), _fit(word, entry.other_words.lower()) - 1)
    best = max(_fit(word, text), besides - 1)
    return max(best, 0)


def _fit(word: str, text: str) -> int:
    parts = text.replace("·", " ").replace("›", " ").split()
    if word in parts:
        return _WHOLE
    if any(part.startswith(word) for part in parts):
        return _START
    if word in text:
        return _INSIDE
    return _LETTERS if any(_in_order(word, part) for part in parts) else 0


def _in_order(word: str, part: str) -> bool:
    """Whether the letters of a word are in another in their order, beginning with its first, and close together."""
    if len(word) < 3 or word[0] != part[0]:
        return False
    places, at = [], -1
    for letter in word:
        at = part.find(letter, at + 1)
        if at < 0:
            return False
        places.append(at)
    return all(after - before <= _MOST_GAP for before, after in pairwise(places))
