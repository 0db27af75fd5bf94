"""Texts of several looks: runs broken into lines together, with tab stops and the items of lists.

A line is as high as the highest of its fonts, and all are on one baseline.
"""

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct, field

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import Place
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.graphics.display_list import Layer, Links, SharedSourceRef, SourceRef, SourceRefList, Texts
from northmoor.core.layout.graphics.painter import TextStyle, text_style
from northmoor.core.layout.inline.paragraph import look_boxes
from northmoor.core.layout.text.break_opportunities import SOFT_HYPHEN, Breaking, graphemes, opportunities
from northmoor.core.layout.text.line_breaking import does_not_fit, is_number, replacement
from northmoor.core.model.blocks.text import TabStop
from northmoor.core.model.styles import Align, ResolvedStyle

_EVERY = 36_000
"""Distance of tab stops where none are set."""
_MARKERS = {"bullet": ("•", "◦", "▪"), "dash": ("–", "–", "–")}
_STEP = 15
"""How far the items of a list are in, in tenths of their size."""


class InlineRun(Struct, frozen=True):
    """A stretch of text with one look, and the address that it opens, if any."""

    text: str
    look: ResolvedStyle
    link: str = ""


class InlineFragment(Struct, frozen=True):
    """A piece of a line in one look; `x` is counted from the text's left edge."""

    x: int
    width: int
    text: str
    style: TextStyle
    link: str


class LineBox(Struct, frozen=True):
    """A line: its pieces, how high it is, and how far its baseline is from its top."""

    fragments: tuple[InlineFragment, ...]
    height: int
    ascent: int


class ItemLine(Struct, frozen=True):
    """The number and depth of the item or paragraph that a line is of, and whether the line begins with a marker."""

    number: int
    has_marker: bool
    depth: int


class RichText(Struct, frozen=True, eq=False):
    """Lines of several looks within a width, unplaced."""

    lines: tuple[LineBox, ...]
    look: ResolvedStyle
    width: int
    origin: SourceRef
    runs: tuple[InlineRun, ...] = ()
    """What it was made of, before it was broken into lines."""
    marker: str = "none"
    """What is before each item of a list; `none` where it is no list."""
    items: tuple["ItemLine", ...] = ()
    """For each line, which item or paragraph it is of."""

    @property
    def height(self) -> int:
        """Height of all its lines with the padding."""
        return self.height_of(0, len(self.lines))

    def height_of(self, start: int, end: int | None) -> int:
        """The height of some of its lines with the padding."""
        return sum(line.height for line in self.lines[start:end]) + 2 * self.look.padding

    def fitting(self, start: int, room: int) -> int:
        """The end of the lines from `start` that fit a height; at least one."""
        end, used = start, 2 * self.look.padding
        while end < len(self.lines) and (end == start or used + self.lines[end].height <= room):
            used += self.lines[end].height
            end += 1
        return end

    def layers(self, x: int, y: int, start: int = 0, end: int | None = None) -> tuple[Layer, ...]:
        """Some of its lines, placed."""
        layers = list(look_boxes(self.look, (x, y, self.width, self.height_of(start, end)), self.origin))
        placed: list[tuple[InlineFragment, int, int, int]] = []
        top = y + self.look.padding
        for line in self.lines[start:end]:
            placed += [(fragment, top, top + line.ascent, line.height) for fragment in line.fragments]
            top += line.height
        if placed:
            layers.append(self._texts(placed, x))
        linked = [(fragment, top, height) for fragment, top, _, height in placed if fragment.link]
        if linked:
            boxes = [(x + fragment.x, top, fragment.width, height) for fragment, top, height in linked]
            left, up, width, height = np.array(boxes, np.int64).T
            origins = SourceRefList((self.origin,) * len(linked))
            layers.append(Links(left, up, width, height, tuple(fragment.link for fragment, _, _ in linked), origins))
        return tuple(layers)

    def links(self, x: int, y: int, start: int = 0, end: int | None = None) -> Iterator[tuple[int, int, int, int, str]]:
        """The places of its runs that open addresses, with these."""
        top = y + self.look.padding
        for line in self.lines[start:end]:
            yield from (
                (x + fragment.x, top, fragment.width, line.height, fragment.link)
                for fragment in line.fragments
                if fragment.link
            )
            top += line.height

    def _texts(self, placed: Sequence[tuple[InlineFragment, int, int, int]], x: int) -> Texts:
        hows = list(dict.fromkeys(fragment.style.face for fragment, *_ in placed))
        shapers = {fragment.style.face: fragment.style.shaper for fragment, *_ in placed}
        faces = np.array([hows.index(fragment.style.face) for fragment, *_ in placed], np.int64)
        lines = np.array([int(fragment.style.shaper.add([fragment.text])[0]) for fragment, *_ in placed], np.int64)
        columns = np.array(
            [(x + fragment.x, base - fragment.style.ascent, base, fragment.width) for fragment, _, base, _ in placed],
            np.int64,
        )
        left, top, baseline, width = columns.T
        return Texts(
            left,
            top,
            baseline,
            width,
            faces,
            lines,
            tuple(hows),
            tuple(shapers[face] for face in hows),
            SharedSourceRef(self.origin),
        )


def make_rich_text(
    runs: Sequence[InlineRun],
    look: ResolvedStyle,
    marker: str,
    tabs: Sequence[TabStop],
    width: int,
    origin: SourceRef,
    context: LayoutContext,
) -> RichText:
    """Break runs into lines within a width; `look` is that of the text as a whole."""
    hows = [text_style(run.look, context.shapers) for run in runs]
    plain = text_style(look, context.shapers)
    room = width - 2 * look.inset
    lines: list[LineBox] = []
    unfit = 0
    counts: dict[int, int] = {}
    items: list[ItemLine] = []
    for number, paragraph in enumerate(_paragraphs(runs, hows)):
        depth, marked, paragraph = _item(paragraph, marker, counts, plain)
        step = plain.face.size * _STEP // 10
        indent = (depth + 1) * step if marker != "none" else 0
        breaker = _Breaker(room, indent, tabs, plain, context.breaking(look), context.stop)
        found = breaker.lines(paragraph)
        unfit += breaker.unfit
        items += [ItemLine(number, bool(marked) and not at, depth) for at in range(len(found))]
        if marked and found:
            found[0].insert(0, InlineFragment(indent - step, plain.width(marked), marked, plain, ""))
        lines += [
            _finished(fragments, room, look, plain, look.side or "start", "\t" in _text(paragraph))
            for fragments in found
        ]
    for fragment in (fragment for line in lines for fragment in line.fragments):
        shaper = fragment.style.shaper
        context.note_missing(Place(block=origin.block), shaper.missing(shaper.add([fragment.text])))
    if unfit:
        context.find("does not fit", Place(block=origin.block), does_not_fit(unfit))
    return RichText(tuple(lines), look, width, origin, tuple(runs), marker, tuple(items))


_Piece = tuple[str, TextStyle, str]
"""A text in one look, and the address that it opens."""


def _text(pieces: Sequence[_Piece]) -> str:
    return "".join(text for text, _, _ in pieces)


def _paragraphs(runs: Sequence[InlineRun], hows: Sequence[TextStyle]) -> Iterator[list[_Piece]]:
    """The runs' texts, parted at line breaks."""
    own: list[_Piece] = []
    for run, style in zip(runs, hows, strict=True):
        first, *rest = run.text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
        own.append((first, style, run.link))
        for text in rest:
            yield own
            own = [(text, style, run.link)]
    yield own


def _item(pieces: list[_Piece], marker: str, counts: dict[int, int], plain: TextStyle) -> tuple[int, str, list[_Piece]]:
    """How deep an item of a list is, its marker, and its text without the tabs before it."""
    if marker == "none" or not _text(pieces).strip():
        counts.clear()
        return 0, "", pieces
    whole = _text(pieces)
    depth = min(len(whole) - len(whole.lstrip("\t")), 6)
    rest, left = [], depth
    for text, style, link in pieces:
        rest.append((text[left:], style, link))
        left = max(left - len(text), 0)
    for deeper in [at for at in counts if at > depth]:
        del counts[deeper]
    counts[depth] = counts.get(depth, 0) + 1
    mark = f"{counts[depth]}." if marker == "number" else _MARKERS[marker][depth % 3]
    return depth, mark if all(ord(c) in plain.shaper.font.characters for c in mark) else "–", rest


class _Breaker(Struct):
    """Breaks a paragraph into lines of pieces, from left to right."""

    room: int
    indent: int
    tabs: Sequence[TabStop]
    plain: TextStyle
    breaking: Breaking
    stop: CancelToken
    unfit: int = 0
    _done: list[list[InlineFragment]] = field(default_factory=list)
    _bits: list[InlineFragment] = field(default_factory=list)
    _x: int = 0

    def lines(self, pieces: list[_Piece]) -> list[list[InlineFragment]]:
        """The lines of a paragraph."""
        self._x = self.indent
        segments = _split_at_tabs(pieces)
        for number, segment in enumerate(segments):
            if number:
                self._tab(segment)
            for word in _words_of(segment, self.breaking):
                self.stop.raise_if_cancelled()
                self._word(word)
        return [*self._done, self._bits]

    def _tab(self, segment: list[_Piece]) -> None:
        """Go on at the next tab stop."""
        wide = _width(segment)
        stop = next((tab for tab in sorted(self.tabs, key=lambda t: t.at) if tab.at > self._x), None)
        at = stop.at if stop is not None else (self._x // _EVERY + 1) * _EVERY
        align = stop.align if stop is not None else "start"
        begin = max({"start": at, "end": at - wide, "center": at - wide // 2}[align], self._x)
        if begin >= self.room and self._bits:
            self._break()
            return
        if stop is not None and stop.leader == "dots":
            dot = self.plain.width(". ")
            count = max((begin - self._x) // max(dot, 1) - 1, 0)
            text = (". " * count).strip()
            length = self.plain.width(text)
            if text:
                self._bits.append(InlineFragment(begin - dot - length, length, text, self.plain, ""))
        self._x = begin

    def _word(self, word: list["_Syllable"]) -> None:
        """Put a word in the line, as far as it fits, and the rest of it in the next ones."""
        while not self._fits(word):
            count = next((n for n in range(len(word) - 1, 0, -1) if self._fits(word[:n])), 0)
            self._put_all(word[:count])
            word = word[count:]
            if self._x == self.indent:
                self._part(word)
                return
            self._break()
        self._put_all(word)

    def _fits(self, word: list["_Syllable"]) -> bool:
        pieces = _ended(word)
        wide = _width([*pieces[:-1], (pieces[-1][0].rstrip(" "), *pieces[-1][1:])])
        return self._x + wide <= self.room

    def _put_all(self, word: list["_Syllable"]) -> None:
        for text, style, link in _ended(word):
            self._put(text, style, link)

    def _part(self, word: list["_Syllable"]) -> None:
        """Put what is wider than a line: character by character where its look allows that, else what replaces it."""
        pieces = _ended(word)
        whole = _text(pieces)
        if self.breaking.words != "anywhere" or is_number(whole):
            text, style, link = whole.rstrip(" "), pieces[0][1], pieces[0][2]
            self.unfit += 1
            self._put(replacement(text, style.shaper, style.face.size, self.room - self._x, self.breaking), style, link)
            return
        for text, style, link in pieces:
            for char in graphemes(text):
                if self._x + style.width(char) > self.room and self._x > self.indent:
                    self._break()
                self._put(char, style, link)

    def _put(self, text: str, style: TextStyle, link: str) -> None:
        """Add a text to the line; one in the look of the last piece joins it, so that they are shaped together."""
        if not text:
            return
        last = self._bits[-1] if self._bits else None
        if last is not None and last.style is style and last.link == link and last.x + last.width == self._x:
            joined = last.text + text
            self._bits[-1] = InlineFragment(last.x, style.width(joined), joined, style, link)
        else:
            self._bits.append(InlineFragment(self._x, style.width(text), text, style, link))
        self._x = self._bits[-1].x + self._bits[-1].width

    def _break(self) -> None:
        self._done.append(self._bits)
        self._bits, self._x = [], self.indent


def _split_at_tabs(pieces: list[_Piece]) -> list[list[_Piece]]:
    segments: list[list[_Piece]] = [[]]
    for text, style, link in pieces:
        first, *rest = text.split("\t")
        segments[-1].append((first, style, link))
        segments += [[(part, style, link)] for part in rest]
    return segments


class _Syllable(Struct, frozen=True):
    """A part of a word, parted where the look changes, and what is written after it where a line ends there."""

    pieces: list[_Piece]
    mark: str


def _ended(word: list[_Syllable]) -> list[_Piece]:
    """The pieces of a word, or of its beginning, as they are drawn."""
    if not word:
        return []
    pieces = [piece for syllable in word for piece in syllable.pieces]
    drawn = [(text.replace(SOFT_HYPHEN, ""), style, link) for text, style, link in pieces]
    text, style, link = drawn[-1]
    return [*drawn[:-1], (text + word[-1].mark, style, link)]


def _words_of(pieces: list[_Piece], breaking: Breaking) -> Iterator[list[_Syllable]]:
    """The words of a text, each with the spaces after it."""
    at, before, rest = 0, 0, list(pieces)
    word: list[_Syllable] = []
    for place in opportunities(_text(pieces), breaking):
        own: list[_Piece] = []
        wanted, before = place.end - before, place.end
        while wanted:
            text, style, link = rest[0]
            taken = text[at : at + wanted]
            if taken:
                own.append((taken, style, link))
            wanted -= len(taken)
            at += len(taken)
            if at >= len(text):
                rest, at = rest[1:], 0
        word.append(_Syllable(own, place.mark))
        if not place.mark:
            yield word
            word = []


def _width(pieces: Sequence[_Piece]) -> int:
    return sum(style.width(text) for text, style, _ in pieces)


def _finished(
    fragments: list[InlineFragment], room: int, look: ResolvedStyle, plain: TextStyle, align: Align, tabbed: bool
) -> LineBox:
    """A line with its pieces at their places; spaces at its end count for nothing."""
    if fragments:
        last = fragments[-1]
        text = last.text.rstrip(" ")
        fragments[-1] = InlineFragment(last.x, last.style.width(text), text, last.style, last.link)
    used = max((fragment.x + fragment.width for fragment in fragments), default=0)
    slack = 0 if tabbed else {"end": room - used, "center": (room - used) // 2}.get(align, 0)
    shift = look.inset + max(slack, 0)
    placed = tuple(
        InlineFragment(fragment.x + shift, fragment.width, fragment.text, fragment.style, fragment.link)
        for fragment in fragments
        if fragment.text
    )
    hows = [fragment.style for fragment in placed] or [plain]
    ascent = max(style.ascent for style in hows)
    return LineBox(placed, ascent + max(style.leading - style.ascent for style in hows), ascent)
