"""The items of a list, from the lines of its text."""

from collections.abc import Iterator, Sequence

from northmoor.core.layout.inline.rich_text import InlineRun


def list_items(runs: Sequence[InlineRun]) -> Iterator[tuple[int, list[InlineRun]]]:
    """The items of a list with their depths: each line, the tabs it begins with counted."""
    lines: list[list[InlineRun]] = [[]]
    for run in runs:
        first, *rest = run.text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
        lines[-1].append(InlineRun(first, run.look, run.link))
        lines += [[InlineRun(text, run.look, run.link)] for text in rest]
    for line in lines:
        whole = "".join(run.text for run in line)
        if not whole.strip():
            continue
        depth = min(len(whole) - len(whole.lstrip("\t")), 6)
        left, own = depth, []
        for run in line:
            own.append(InlineRun(run.text[left:], run.look, run.link))
            left = max(left - len(run.text), 0)
        yield depth, own
