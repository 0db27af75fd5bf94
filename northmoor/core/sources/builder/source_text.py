"""An SQL text whose pieces are replaced one by one while its comments and all between them stay."""

import re
from collections.abc import Callable, Sequence
from difflib import SequenceMatcher
from typing import Generic, Protocol, TypeVar

from msgspec import Struct

from northmoor.core.sources.builder.select_model import Keyword, SourceSpan


def keyword_of(sql: str) -> Keyword:
    """Writes keywords as a query does: in capitals where its first ``select`` is."""
    found = re.search(r"\bselect\b", sql, re.IGNORECASE)
    return str.upper if found is not None and found[0].isupper() else str


class PlacedPiece(Protocol):
    """A part of a sentence that knows where it is."""

    @property
    def at(self) -> SourceSpan | None: ...


_P = TypeVar("_P", bound=PlacedPiece)


class SourceText(Struct, frozen=True):
    """An SQL text, where its comments are, and how it is written."""

    sql: str
    comments: Sequence[SourceSpan]
    keyword: Keyword
    """Writes a keyword as the text writes them."""
    has_lines: bool
    """Whether clauses have lines of their own."""
    indent: str
    """What comes before a clause in its line."""

    def of(self, piece: PlacedPiece) -> str:
        """A piece as it is written."""
        return self.sql[slice(*place(piece))]

    def line_or_space(self) -> str:
        """What comes before a new clause."""
        return f"\n{self.indent}" if self.has_lines else " "

    def comments_in(self, start: int, end: int) -> str:
        """The comments of a stretch, one after the other."""
        return one_after_other([self.sql[a:b] for a, b in self.comments if start <= a and b <= end])

    def after_comment(self, end: int) -> int:
        """The place after a comment that follows in the same line."""
        for start, last in self.comments:
            if start >= end and not self.sql[end:start].strip(" \t"):
                return last
        return end

    def is_in_comment(self, at: int) -> bool:
        """Whether a character belongs to a comment."""
        return any(start <= at < end for start, end in self.comments)

    def ends_in_line_comment(self, at: int) -> bool:
        """Whether what is written here would belong to a comment."""
        return any(end == at and is_line_comment(self.sql[start:end]) for start, end in self.comments)

    def closed(self, text: str, following: int) -> str:
        """A text that ends in a comment, so that what follows at a character of the source is not part of it."""
        rest = self.sql[following:].lstrip(" \t")
        return text + "\n" if rest and rest[0] != "\n" and self.is_open(text) else text

    def is_open(self, text: str) -> bool:
        """Whether a text ends in a comment that reaches to the end of its line."""
        return any(text.endswith(self.sql[a:b]) and is_line_comment(self.sql[a:b]) for a, b in self.comments)

    def patched(self, at: SourceSpan, patches: Sequence[tuple[SourceSpan, str]]) -> str:
        """A piece's text with some of its parts replaced; their comments stay."""
        text = self.sql[slice(*at)]
        for (start, end), written in sorted(patches, reverse=True):
            kept = self.comments_in(start, end)
            is_written = not kept or kept.strip() in written
            new = written if is_written else f"{written} {kept}"
            text = text[: start - at[0]] + new + text[end - at[0] :]
        return text

    def between(self, pieces: Sequence[PlacedPiece], word: str) -> str:
        """What this text has between the first two pieces, without comments; empty when there is only one."""
        if len(pieces) < 2:
            return ""
        start, end = place(pieces[0])[1], place(pieces[1])[0]
        text = self.sql[start:end]
        for a, b in reversed([c for c in self.comments if start <= c[0] and c[1] <= end]):
            text = text[: a - start].rstrip(" \t") + text[b - start :]
        return text if re.fullmatch(rf"\s*{re.escape(word)}\s*", text, re.IGNORECASE) else ""


def place(piece: PlacedPiece) -> SourceSpan:
    """Where a piece that was read is."""
    assert piece.at is not None
    return piece.at


def is_line_comment(text: str) -> bool:
    """Whether what follows comments in the same line would belong to the last of them."""
    rest = text.lstrip()
    while rest:
        is_block = rest.startswith("/*")
        _, closing, rest = rest.partition("*/" if is_block else "\n")
        if not closing:
            return not is_block
        rest = rest.lstrip()
    return False


def one_after_other(comments: Sequence[str]) -> str:
    """Comments in a row, with a line's end after each that reaches to it."""
    return "".join(f"{c}\n" if is_line_comment(c) else f"{c} " for c in comments if c).rstrip(" ")


class ListText(Generic[_P]):
    """A list of pieces rewritten: what is the same stays, with what is between it and the next.

    `between` is what separates new pieces; `write` writes a new one, `change` one that is in the place of another.
    """

    def __init__(
        self, source: SourceText, between: str, write: Callable[[_P], str], change: Callable[[_P, _P], str]
    ) -> None:
        self._source, self._between, self._write, self._change = source, between, write, change

    def splice(self, before: Sequence[_P], after: Sequence[_P], is_inner: bool = False) -> tuple[SourceSpan, str]:
        """From where to where to put what. The comment in the line of the last piece belongs to it, but for an inner
        list."""
        end = place(before[-1])[1]
        tail = self._source.after_comment(end) if "\n" in self._between and not is_inner else end
        return (place(before[0])[0], tail), self._source.closed(self._text(before, after, tail), tail)

    def _text(self, before: Sequence[_P], after: Sequence[_P], tail: int) -> str:
        matched = matches(before, after)
        ends = [*(place(piece)[0] for piece in before[1:]), tail]
        loose = set(range(len(before)))
        """Old pieces whose comments behind them are not written yet."""
        text = ""
        for number, (piece, at) in enumerate(zip(after, matched, strict=True)):
            text += self._write(piece) if at is None else self._change(before[at], piece)
            is_last = number + 1 == len(after)
            if at is None:
                text += "" if is_last else self._between
                continue
            loose.discard(at)
            end = place(before[at])[1]
            if (at + 1 == len(before)) if is_last else (matched[number + 1] == at + 1):
                text += self._source.sql[end : ends[at]]
            else:
                text = self._joined(text, self._source.comments_in(end, ends[at]), is_last)
        left = self._left([(before[n], ends[n], n not in matched) for n in sorted(loose)])
        between = "\n" if self._source.is_open(text) else " "
        return text + between + left if left else text

    def _joined(self, text: str, comments: str, is_last: bool) -> str:
        """A text with what separates it from the next piece, and comments that belong to its last one."""
        if not comments:
            return text if is_last else text + self._between
        if is_last:
            return f"{text} {comments.rstrip()}"
        line = self._between.find("\n")
        separator = self._between[:line] if line >= 0 else "," * self._between.startswith(",")
        rest = self._between[len(separator) :]
        if is_line_comment(comments.rstrip("\n")) and "\n" not in rest:
            rest = f"\n{self._source.indent}{rest.lstrip()}"
        return f"{text}{separator.rstrip()} {comments.rstrip()}{rest}"

    def _left(self, removed: Sequence[tuple[_P, int, bool]]) -> str:
        """The comments of removed pieces."""
        found = [
            self._source.comments_in(place(piece)[0] if is_out else place(piece)[1], end)
            for piece, end, is_out in removed
        ]
        return one_after_other([comments.rstrip("\n") for comments in found]).rstrip()


def matches(before: Sequence[_P], after: Sequence[_P]) -> list[int | None]:
    """For each new piece the old one it is: the same, or the one in whose place it is; a piece that moved is itself."""
    found: list[int | None] = [None] * len(after)
    steps = SequenceMatcher(None, list(before), list(after), autojunk=False).get_opcodes()
    for tag, a, b, c, d in steps:
        if tag == "equal":
            found[c:d] = range(a, b)
    free = [n for n in range(len(before)) if n not in found]
    for at, piece in enumerate(after):
        same = next((n for n in free if before[n] == piece), None) if found[at] is None else None
        if same is not None:
            found[at] = same
            free.remove(same)
    for tag, a, b, c, d in steps:
        if tag == "replace":
            left = [n for n in free if a <= n < b]
            for at in (n for n in range(c, d) if found[n] is None):
                found[at] = left.pop(0) if left else None
    return found
