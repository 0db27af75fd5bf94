"""What the commands of a part's menu work on: the report, what is selected in it, the figure that was pointed at, and
the window's own commands."""

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any, Protocol

from msgspec import Struct

from northmoor.app.document_controller import DocumentController, ReportEdit, Selection
from northmoor.app.pages.part_menu.entries import PartCommand
from northmoor.app.widgets.kind_looks import kind_text
from northmoor.core.authoring.column_roles import default_aggregate, kind_in_words, totals_of_value
from northmoor.core.authoring.queries.field_choices import FieldChoice, field_choices
from northmoor.core.authoring.table_commands import printed_total
from northmoor.core.checks.trace.pointed import PointedValue
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import Column, TableBlock
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.report import Edition, Report


class PartTools(Protocol):
    """What the pages offer to the commands of parts."""

    def edit_in_place(self) -> None:
        """Edit the selected part where it is."""

    def pick_format(self) -> None:
        """Open the formats of the selected cell beside it."""

    def ask_picture(self) -> str | None:
        """Ask for a picture; its path in the library, if one was chosen."""

    def copy_values(self) -> None:
        """Put the values of the selected columns on the clipboard, for a spreadsheet."""

    def ask_highlight(self) -> None:
        """Ask when the selected cells look otherwise, and how."""

    def edit_property(self, field: str) -> None:
        """Put the keyboard into a property in the inspector."""

    def trace_selected(self) -> None:
        """Trace the selected figure."""

    def select(self, selection: Selection) -> None:
        """Select another part."""


class PartContext(Struct, frozen=True, eq=False):
    """`query` is that of the block or of the records around it, `field_kinds` are the kinds of its columns, and
    `window_commands` gives a command of the main menu by its name."""

    report: Report
    edition: Edition
    selection: Selection
    controller: DocumentController
    tools: PartTools
    pointed: PointedValue | None
    query: str | None
    field_kinds: Mapping[str, KindName]
    window_command: Callable[[str], PartCommand]

    @property
    def format_locale(self) -> FormatLocale:
        """How the report writes values."""
        return FormatLocale(self.report.locale, self.report.currency, self.report.time_zone)

    def is_number(self, value: str) -> bool | None:
        """Whether an expression is a number in each row; None where that is not known."""
        words = kind_in_words(value, self.field_kinds)
        return None if words is None else words == "a number"

    def totals_of(self, value: str, usual: str = "sum") -> tuple[str, ...]:
        """Names of the aggregates that can total an expression, the usual one first; all where its kind is unknown."""
        return totals_of_value(value, self.field_kinds, usual)

    def has_total(self, table: TableBlock, column: Column) -> bool:
        """Whether a column has a total, or would have one by the usual aggregate of its field."""
        if column.value is None:
            return False
        usual = default_aggregate(self.report, table, column)
        return printed_total(table, column.name) is not None or self.totals_of(column.value, usual)[0] == usual

    @property
    def fields(self) -> tuple[FieldChoice, ...]:
        """The fields that can be chosen for the block."""
        return field_choices(self.report.query(self.query), self.field_kinds) if self.query is not None else ()

    def edit(self, label: str, change: ReportEdit) -> Callable[[], bool]:
        """What makes an edit of the report when it is called."""
        return partial(self.controller.edit, label, change)

    def block_change(self, **changes: Any) -> ReportEdit:
        """A change of properties of the selected block."""
        block = self.selection.block
        return lambda report, edition: edits.change_block(report, edition, block, **changes)

    def command(self, text: str, change: ReportEdit, drawing: str | None = None, **more: Any) -> PartCommand:
        """A command that makes an edit of the same name."""
        return PartCommand(text, self.edit(text.removesuffix("…"), change), drawing, change=change, **more)

    def field_command(self, field: FieldChoice, change: ReportEdit, text: str = "", **more: Any) -> PartCommand:
        """A command that takes a field, with what its values are beside it."""
        return self.command(text or field.shown_name, change, sample=kind_text(field.kind), **more)
