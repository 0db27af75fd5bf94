"""A changed condition written into its SQL, with as much of the old text as is in both."""

import re

from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError
from northmoor.core.sources.builder.select_model import (
    AND_LINES,
    BooleanGroup,
    Comparison,
    Condition,
    Connective,
    SourceSpan,
    comparison_text,
    condition_text,
    operator_text,
)
from northmoor.core.sources.builder.source_text import ListText, SourceText, place


class ConditionWriter:
    """Writes one condition of a text, that of `where` or of `having`."""

    def __init__(self, source: SourceText) -> None:
        self._source = source

    def splice(self, old: Condition, new: Condition) -> tuple[SourceSpan, str]:
        """From where to where to put what, so that the text says the new condition instead of the old one."""
        parts = _common_parts(old, new)
        if isinstance(old, BooleanGroup) and parts and not _has_brackets(old):
            return self._list(old).splice(old.parts, parts)
        return place(old), self._text(old, new, is_outermost=True)

    def _text(self, old: Condition, new: Condition, is_outermost: bool) -> str:
        if old == new:
            return self._source.of(old)
        if isinstance(old, Comparison) and isinstance(new, Comparison):
            return self._comparison(old, new)
        if isinstance(old, BooleanGroup):
            if isinstance(new, BooleanGroup) and _is_same_shape(old, new):
                return self._turned(old, new, is_outermost)
            parts = _common_parts(old, new)
            if parts:
                (start, end), text = self._list(old).splice(old.parts, parts, is_inner=True)
                whole = place(old)
                return self._source.sql[whole[0] : start] + text + self._source.sql[end : whole[1]]
        if isinstance(new, BooleanGroup) and old in new.parts:
            return self._one_of_several(old, new, is_outermost)
        kept = self._source.comments_in(*place(old))
        return self._new(new, is_outermost) + (f" {kept}" if kept else "")

    def _new(self, condition: Condition, is_outermost: bool) -> str:
        between = self._between() if is_outermost else ""
        return condition_text(condition, self._source.keyword, between)

    def _between(self) -> str:
        return AND_LINES.replace("\n", f"\n{self._source.indent}") if self._source.has_lines else " {} "

    def _one_of_several(self, old: Condition, group: BooleanGroup, is_outermost: bool) -> str:
        """A condition that became a part of a group."""
        word = self._source.keyword(group.joining)
        between = (self._between() if is_outermost else " {} ").format(word)
        at = group.parts.index(old)
        pieces = [
            self._bracketed(old, self._source.of(old), group.joining) if n == at else self._new(part, False)
            for n, part in enumerate(group.parts)
        ]
        text = between.join(pieces)
        return text if is_outermost else f"({text})"

    def _bracketed(self, old: Condition, text: str, joining: Connective) -> str:
        """The text of a part in brackets, where it would be read otherwise without them."""
        is_open = isinstance(old, BooleanGroup) and not _has_brackets(old)
        return f"({text})" if is_open and (joining == "and" or old.joining == joining) else text  # type: ignore[union-attr]

    def _list(self, old: BooleanGroup) -> ListText[Condition]:
        """A group of which parts come, go and change."""
        between = self._source.between(old.parts, old.joining) or f" {self._source.keyword(old.joining)} "

        def change(was: Condition, part: Condition) -> str:
            text = self._text(was, part, is_outermost=False)
            return text if isinstance(part, Comparison) else self._bracketed(was, text, old.joining)

        return ListText(self._source, between, lambda part: self._new(part, False), change)

    def _turned(self, old: BooleanGroup, new: BooleanGroup, is_outermost: bool) -> str:
        """A group of which and turns into or; one of its parts may change too."""
        whole, first = place(old), place(old.parts[0])
        text = self._source.sql[whole[0] : first[0]]
        for number, (was, part) in enumerate(zip(old.parts, new.parts, strict=True)):
            if number:
                text += self._joining(place(old.parts[number - 1])[1], place(was)[0], old.joining, new.joining)
            text += self._bracketed(was, self._text(was, part, is_outermost=False), new.joining)
        text += self._source.sql[place(old.parts[-1])[1] : whole[1]]
        return text if is_outermost or _has_brackets(old) else f"({text})"

    def _joining(self, start: int, end: int, was: str, word: str) -> str:
        """What is between two parts with another joining word in it."""
        for match in re.finditer(rf"\b{was}\b", self._source.sql[start:end], re.IGNORECASE):
            at = start + match.start()
            if not self._source.is_in_comment(at):
                shown = word.upper() if match[0].isupper() else word
                return self._source.sql[start:at] + shown + self._source.sql[at + len(was) : end]
        raise QueryError("This condition is joined in a way that cannot be turned here; change it in the SQL.")

    def _comparison(self, old: Comparison, new: Comparison) -> str:
        """A single condition changed; its brackets stay."""
        if old.left_at is None or old.operator_at is None or not new.operator:
            return self._whole(old, new)
        patches = [(old.left_at, new.left)] if old.left != new.left else []
        if _form(old.operator) == _form(new.operator) and len(old.right) == len(new.right):
            if old.operator != new.operator:
                patches.append((old.operator_at, self._source.keyword(new.operator)))
            patches += [(at, b) for at, a, b in zip(old.right_at, old.right, new.right, strict=True) if a != b]
        else:
            tail = operator_text(new.operator, new.right, self._source.keyword)
            patches.append(((old.operator_at[0], self._end(old)), tail))
        return self._source.patched(place(old), patches)

    def _whole(self, old: Comparison, new: Comparison) -> str:
        start = old.left_at[0] if old.left_at is not None else place(old)[0]
        text = comparison_text(new, self._source.keyword)
        return self._source.patched(place(old), [((start, self._end(old)), text)])

    def _end(self, old: Comparison) -> int:
        """Where a comparison ends within its brackets."""
        parts = [at for at in (old.left_at, old.operator_at, *old.right_at) if at is not None]
        end = max(at[1] for at in parts) if parts else place(old)[1]
        if old.operator.endswith("in") and old.right_at:
            return self._source.sql.index(")", self._after(end)) + 1
        return end

    def _after(self, end: int) -> int:
        """The place after the comments that follow."""
        while (after := self._source.after_comment(end)) != end or self._source.sql[end : end + 1].isspace():
            end = after if after != end else end + 1
        return end


def _form(operator: str) -> str:
    """How what follows an operator is written."""
    words = operator.removeprefix("not ")
    return words if words in ("between", "in") else "is" if words.startswith("is ") else "value"


def _common_parts(old: Condition, new: Condition) -> tuple[Condition, ...]:
    """The parts that an old group is to have, when some of them stay; none otherwise."""
    if not isinstance(old, BooleanGroup):
        return ()
    parts = new.parts if isinstance(new, BooleanGroup) and new.joining == old.joining else (new,)
    return parts if any(part in old.parts for part in parts) else ()


def _has_brackets(group: BooleanGroup) -> bool:
    return place(group)[0] < place(group.parts[0])[0]


def _is_same_shape(old: BooleanGroup, new: BooleanGroup) -> bool:
    """Whether only the joining word and at most one part differ."""
    if old.joining == new.joining or len(old.parts) != len(new.parts):
        return False
    return sum(a != b for a, b in zip(old.parts, new.parts, strict=True)) <= 1


def flat_condition(condition: Condition | None) -> Condition | None:
    """A condition in which groups of one kind within another are one group, as brackets make no difference there."""
    if not isinstance(condition, BooleanGroup):
        return condition
    parts: list[Condition] = []
    for part in map(flat_condition, condition.parts):
        assert part is not None
        is_same = isinstance(part, BooleanGroup) and part.joining == condition.joining
        parts += part.parts if is_same else (part,)  # type: ignore[union-attr]
    return replace(condition, parts=tuple(parts))
