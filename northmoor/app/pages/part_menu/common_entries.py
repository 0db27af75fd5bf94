"""What can be done to several selected parts at once: the commands that all have, each done to all in one step."""

from collections.abc import Callable, Sequence
from functools import partial, reduce

from northmoor.app.document_controller import ReportEdit
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup
from northmoor.core.model.report import Report

MakeEdit = Callable[[str, ReportEdit], object]
"""Makes an edit of a name, as one step."""


def common_entries(lists: Sequence[Sequence[PartEntry]], edit: MakeEdit) -> list[PartEntry]:
    """The entries that lists of several parts have in common, by their texts; lines stay between what is left."""
    first, *others = lists
    found: list[PartEntry] = []
    for entry in first:
        if entry is None:
            if found and found[-1] is not None:
                found.append(None)
            continue
        same = [_same(entry, other) for other in others]
        made = _merged(entry, [each for each in same if each is not None], edit) if None not in same else None
        if made is not None:
            found.append(made)
    return found[:-1] if found and found[-1] is None else found


def _same(entry: PartCommand | PartGroup, entries: Sequence[PartEntry]) -> PartCommand | PartGroup | None:
    return next(
        (each for each in entries if each is not None and type(each) is type(entry) and each.text == entry.text), None
    )


def _merged(
    entry: PartCommand | PartGroup, others: Sequence[PartCommand | PartGroup], edit: MakeEdit
) -> PartCommand | PartGroup | None:
    alike = [entry, *others]
    if isinstance(entry, PartGroup):
        inner = common_entries([each.entries for each in alike if isinstance(each, PartGroup)], edit)
        kept = tuple(each for each in inner if not isinstance(each, PartGroup))
        return PartGroup(entry.text, kept, entry.drawing) if kept else None
    if entry.is_of_all:
        return entry
    commands = [each for each in alike if isinstance(each, PartCommand)]
    changes = [each.change for each in commands if each.change is not None and not each.reason]
    if len(changes) < len(commands):
        return None
    is_on = None if entry.is_on is None else all(each.is_on for each in commands)
    run = partial(edit, entry.text.removesuffix("…"), partial(_all_changes, changes))
    return PartCommand(entry.text, run, entry.drawing, entry.sample, entry.help, entry.shortcut, is_on)


def _all_changes(changes: Sequence[ReportEdit], report: Report, edition: str) -> Report:
    return reduce(lambda made, change: change(made, edition), changes, report)
