"""Puts fields of a query where they are wanted: into the block over it as columns, levels or measures, or into a new
block."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial, reduce
from typing import Protocol

from PyQt6.QtCore import QObject, QRect
from PyQt6.QtGui import QCursor
from PyQt6.QtWidgets import QMenu, QWidget

from northmoor.app.document_controller import DocumentController, Selection
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.pages.actions.block_actions import BlockActions
from northmoor.app.pages.actions.field_actions import FIELD_WORK, BlockEdit
from northmoor.app.pages.canvas.drag.field_drop import DropTarget
from northmoor.app.pages.panels.block_popup import BlockPopup
from northmoor.app.pages.panels.query_fields import FieldReader
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import give_letters
from northmoor.core.authoring.starters.block_starters import BLOCK_STARTERS, BlockStarter, ChosenField, begin_block
from northmoor.core.authoring.starters.field_roles import field_role
from northmoor.core.authoring.starters.signal_blocks import measured_blocks, signals_of_fields
from northmoor.core.document import Document
from northmoor.core.errors import NorthmoorError
from northmoor.core.expr.language import column_expression
from northmoor.core.model import edits
from northmoor.core.model.blocks.containers import DataBlock
from northmoor.core.model.blocks.table import RowPlace, TableBlock
from northmoor.core.model.blocks.text import TextRun
from northmoor.core.model.blocks.tree import for_each_around
from northmoor.core.model.edits import Target
from northmoor.core.model.kinds.aggregates import aggregate_of
from northmoor.core.model.report import Report
from northmoor.core.sources.fetch.query_resolution import resolve

_NEW_BLOCKS = (
    ("table", "table-2", tr("New table…")), ("matrix", "grid-3x3", tr("New matrix…")),
    ("chart", "chart-column", tr("New chart…")),
)  # fmt: skip
_Entry = tuple[str, str, Callable[[], object]]
"""What a menu offers: its drawing, its text, what it does."""


class PlacementHost(Protocol):
    """What this needs of the workspace."""

    blocks: BlockActions
    field_reader: FieldReader

    @property
    def block(self) -> DataBlock | None: ...
    @property
    def shown_query(self) -> str | None: ...
    @property
    def document(self) -> Document | None: ...
    def selected_place(self) -> QRect: ...


class FieldPlacement(QObject):
    """Adds the chosen fields of the query that Fields shows."""

    def __init__(self, controller: DocumentController, host: PlacementHost, parent: QWidget) -> None:
        super().__init__(parent)
        self._controller, self._host, self._over = controller, host, parent
        self.block_popup: BlockPopup | None = None
        self.menu: QMenu | None = None
        """What was dropped last can become one of its entries."""

    # into a block

    def add_columns(self, fields: Sequence[str]) -> None:
        """Add fields of the block's query as columns, after the selected column or at the end, or as measures."""
        block, selection = self._host.block, self._controller.selection
        edition = self._controller.edition
        if selection.kind == "text" and edition is not None and for_each_around(edition.blocks, selection.block):
            self._add_to_text(selection.block, fields)
            return
        shown = self._host.shown_query
        if block is None or (shown is not None and shown != block.query):  # fields of another query begin a table
            self.ask_block("table", shown, fields)
            return
        names = [c.name for c in block.columns] if isinstance(block, TableBlock) else []
        selected = self._controller.selection.column
        at = names.index(selected) + 1 if self._controller.selection.block == block.name and selected in names else None
        self._add_columns(block, fields, at)

    def _add_columns(self, block: DataBlock, fields: Sequence[str], at: int | None) -> None:
        add = FIELD_WORK[type(block)].add_column
        changes = [add(block.name, field, self._measure(block, field), place) for field, place in _from(at, fields)]
        self._edit(tr("Add"), fields, changes)

    def _add_to_text(self, text: str, fields: Sequence[str]) -> None:
        """Let a text go on with fields."""
        slots = " ".join(f"{{{column_expression(field)}}}" for field in fields)

        def change(report: Report, edition: str) -> Report:
            own = edits.block_of(report, edition, text)
            if own.runs:
                return edits.change_block(report, edition, text, runs=(*own.runs, TextRun(text=slots)))
            return edits.change_block(report, edition, text, text=own.text + slots)

        self._edit(tr("Add"), fields, [change])

    def add_levels(self, fields: Sequence[str]) -> None:
        """Group the block by fields, around the selected level or innermost, and select the first new level."""
        block, selection = self._host.block, self._controller.selection
        if block is None or not self._shows_fields_of(block):
            return
        names = FIELD_WORK[type(block)].level_names(block)
        at = names.index(selection.level) if selection.kind == "level" and selection.level in names else None
        self._add_levels(block, fields, at)

    def _add_levels(self, block: DataBlock, fields: Sequence[str], at: int | None) -> None:
        work = FIELD_WORK[type(block)]
        names = work.level_names(block)
        changes = [work.add_level(block.name, field, place) for field, place in _from(at, fields)]
        done = self._edit(tr("Group by"), fields, changes)
        if done and self._host.block is not None:
            new = [name for name in work.level_names(self._host.block) if name not in names]
            if new:
                self._controller.select(Selection("level", block.name, level=new[0]))

    def drop(self, fields: Sequence[str], target: DropTarget) -> None:
        """Put dragged fields where they were dropped: as columns, levels, a measure in a total, or as a new block."""
        if target.place is not None:
            self._ask_what(fields, target.place.target)
            return
        edition = self._controller.edition
        block = next((b for b in edition.data_blocks if b.name == target.block), None) if edition else None
        if block is None or not self._shows_fields_of(block):
            return
        if target.kind == "column":
            self._add_columns(block, fields, target.at)
        elif target.kind == "level":
            self._add_levels(block, fields, target.at)
        elif target.region is not None and target.region.column is not None:
            place = RowPlace(target.region.row, target.region.own_level, target.region.number)
            change = FIELD_WORK[type(block)].drop(
                block.name, place, target.region.column, fields[0], self._measure(block, fields[0])
            )
            self._edit(tr("Total"), fields[:1], [change])

    def _edit(self, what: str, fields: Sequence[str], changes: Sequence[BlockEdit]) -> bool:
        """Make several changes in one undo step."""
        named = fields[0] if len(fields) == 1 else tr("{count} fields").format(count=len(fields))
        return self._controller.edit(
            f"{what} {named}", lambda report, edition: reduce(lambda r, change: change(r, edition), changes, report)
        )

    def _shows_fields_of(self, block: DataBlock) -> bool:
        """Whether Fields shows those of a block's query; where not, a message says what to choose."""
        is_own = self._host.shown_query in (None, block.query)
        if not is_own:
            self._host.blocks.message.emit(
                tr("{name} shows the rows of {query}. Choose a field of that query.").format(
                    name=block.name, query=block.query
                ),
                "warning",
            )
        return is_own

    def _measure(self, block: DataBlock, field: str) -> str:
        """A field's default aggregate; without one, what suits its values, and a count of what is not added up."""
        report, document = self._controller.report, self._host.document
        assert report is not None
        aggregate = edits.column_setting(report.query(block.query), field).total
        rows = document.rows.get(block.query) if document is not None else None
        if aggregate is None and rows is not None and field in rows.names:
            aggregate = field_role(field, rows.types[rows.names.index(field)], rows.table[field]).total
        return aggregate_of(aggregate if aggregate not in (None, "none") else "count", column_expression(field))

    # as a new block

    def _ask_what(self, fields: Sequence[str], target: Target) -> None:
        """Ask at the pointer what a new block of fields is."""
        if self.menu is not None:
            self.menu.deleteLater()
        self.menu = QMenu(self._over)
        for drawing, text, run in self.block_entries(fields, target):
            self.menu.addAction(icon(drawing), text, run)
        give_letters(self.menu)
        self.menu.popup(QCursor.pos())

    def block_entries(self, fields: Sequence[str], target: Target | None = None) -> list[_Entry]:
        """The blocks that can be made of fields, at a place or where what is inserted goes."""
        found: list[_Entry] = []
        if self._signals(fields):
            found = [
                ("chart-line", tr("New trend"), lambda: self._measured(fields, target, True)),
                ("sigma", tr("New table of statistics"), lambda: self._measured(fields, target, False)),
            ]
        return found + [
            (drawing, text, partial(self.ask_block, kind, None, fields, target)) for kind, drawing, text in _NEW_BLOCKS
        ]

    def _signals(self, fields: Sequence[str]) -> tuple[str, ...]:
        """The signals of which fields of the shown query are the readings or values."""
        report, query = self._controller.report, self._host.shown_query
        return signals_of_fields(report.query(query), fields) if report is not None and query is not None else ()

    def _measured(self, fields: Sequence[str], target: Target | None, as_trend: bool) -> None:
        """Insert a trend of the signals that fields are of, or a table of their statistics."""
        report, library, query = self._controller.report, self._controller.library, self._host.shown_query
        assert report is not None
        assert query is not None
        try:
            assert library is not None
            place = resolve(report, query, library).log
            assert place is not None
        except NorthmoorError as error:
            self._host.blocks.message.emit(core_text(error.message), "fault")
            return
        signals, at, log = self._signals(fields), target or self._host.blocks.target, place.log
        label = tr("Insert a {kind}").format(kind=tr("trend") if as_trend else tr("table of statistics"))
        self._host.blocks.insert_with(
            label, lambda r, e: measured_blocks(r, e, report.query(query), log, signals, as_trend, at)
        )

    def ask_block(
        self, kind: str, query: str | None = None, fields: Sequence[str] = (), target: Target | None = None
    ) -> None:
        """Ask for the query and the fields of a new table, matrix or chart: where fields were dropped, or beside what
        is selected."""
        report = self._controller.report
        if report is None:
            return
        if not report.queries:
            self._host.blocks.message.emit(
                tr("A {kind} shows the rows of a query; add one in Data first.").format(
                    kind=in_sentence(tr(BLOCK_STARTERS[kind].label))
                ),
                "warning",
            )
            return
        starter = BLOCK_STARTERS[kind]
        queries = {own.name: own.name for own in report.queries}
        places: Mapping[str, Target] = self._host.blocks.places
        if target is not None:
            places = {tr("Where it was dropped"): target, **places}
        self.block_popup = BlockPopup(starter, queries, places, self._host.field_reader, self._over)
        self.block_popup.wanted.connect(partial(self._insert_block, starter))
        self.block_popup.begin(query or self._host.shown_query, fields)
        self.block_popup.open_beside(self._host.selected_place(), self._over)

    def _insert_block(self, starter: BlockStarter, query: str, chosen: list[ChosenField], target: Target) -> None:
        report = self._controller.report
        if report is not None:
            made = begin_block(report, starter, query, chosen)
            self._host.blocks.insert_made(
                tr("Insert a {kind}").format(kind=in_sentence(tr(starter.label))), [made], target
            )


def _from(at: int | None, fields: Sequence[str]) -> list[tuple[str, int | None]]:
    """Fields with their places, one after another from one on; without one, each goes where it usually does."""
    return [(field, None if at is None else at + number) for number, field in enumerate(fields)]
