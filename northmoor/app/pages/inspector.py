"""The inspector: What, Where and Look of the selected part."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFormLayout, QFrame, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from northmoor.app.desk import Desk, Selection
from northmoor.app.icons import icon
from northmoor.app.pages.editors import PERIOD_NAMES, LineEditor, choice_editor, editor_for, label_of
from northmoor.app.theme import LINE
from northmoor.core.expr.language import bare_column
from northmoor.core.expr.orders import order_text, read_order
from northmoor.core.expr.regrouping import PERIODS, by_period, period_of
from northmoor.core.model import edits
from northmoor.core.model.blocks import Cell, Column, Level, PictureBlock, Row, TableBlock, TextBlock
from northmoor.core.model.looks import Look
from northmoor.core.model.part import Part
from northmoor.core.model.report import PageSetup, Report, Running

Change = Callable[[Report, str], Report]
LOOK_FIELDS = (
    "font",
    "size",
    "bold",
    "italic",
    "color",
    "fill",
    "align",
    "padding",
    "inset",
    "rule_above",
    "rule_below",
    "rule_color",
)


class Inspector(QScrollArea):
    """Shows the properties of what is selected; each change is one edit of the desk."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Inspector")
        self._desk = desk
        self._form: QVBoxLayout | None = None
        self._fields: QFormLayout | None = None
        desk.selected.connect(lambda _: self.refresh())
        desk.changed.connect(self.refresh)
        desk.edition_chosen.connect(self.refresh)

    def refresh(self) -> None:
        """Show the selected part anew, keeping the keyboard in the same property."""
        focus = self.window().focusWidget()
        field = focus.property("field") if focus is not None and self.isAncestorOf(focus) else None
        body = QWidget()
        body.setObjectName("panel")
        self._form = QVBoxLayout(body)
        self._form.setContentsMargins(12, 8, 12, 12)
        self._form.setSpacing(6)
        report, edition = self._desk.report, self._desk.edition
        if report is not None and edition is not None:
            self._show(report, edition.name, self._desk.selection)
        self._form.addStretch(1)
        self.setWidget(body)
        if field:
            for editor in body.findChildren(QWidget):
                if editor.property("field") == field:
                    editor.setFocus()

    def edit_first(self) -> None:
        """Put the keyboard into the first property."""
        body = self.widget()
        for editor in body.findChildren(QWidget) if body else []:
            if editor.property("field"):
                editor.setFocus()
                return

    def _show(self, report: Report, edition: str, selection: Selection) -> None:
        show = {
            "page": self._page,
            "header": self._running,
            "footer": self._running,
            "text": self._text,
            "picture": self._picture,
            "table": self._table,
            "level": self._level,
            "row": self._row,
            "cell": self._cell,
        }[selection.kind]
        try:
            show(report, edition, selection)
        except (KeyError, StopIteration, ValueError):
            self._note("What was selected is no longer part of the edition. Choose something in Contents.")

    # what each kind of part shows

    def _page(self, report: Report, edition: str, _: Selection) -> None:
        found = report.edition(edition)
        assert found is not None
        self._title("Page setup")

        def change(**changes: Any) -> Change:
            return lambda r, e: edits.change_edition(r, e, page=_edition_page(r, e).but(**changes))

        self._section("What")
        self._property(Report, report, "title", lambda v: self._edit("Change the title", lambda r, _e: r.but(title=v)))
        if len(report.editions) > 1:
            self._property(Report, report, "shown_edition", partial(self._edit_report, "shown_edition"))
        self._section("Where")
        names = ("size", "orientation", "margin_top", "margin_right", "margin_bottom", "margin_left")
        self._properties(PageSetup, found.page, names, "Change the page", change)
        self._section("Look")
        for name in ("locale", "currency", "time_zone"):
            self._property(
                Report,
                report,
                name,
                partial(self._edit_report, name),
            )

    def _running(self, report: Report, edition: str, selection: Selection) -> None:
        found = report.edition(edition)
        running: Running | None = getattr(found, selection.kind)
        if running is None:
            raise KeyError(selection.kind)
        self._title(f"Page {selection.kind}")
        if selection.column is None:
            self._section("Where")

            def change(**changes: Any) -> Change:
                return lambda r, e: edits.change_edition(
                    r, e, **{selection.kind: getattr(r.edition(e), selection.kind).but(**changes)}
                )

            self._properties(Running, running, ("gap", "rule"), f"Change the {selection.kind}", change)
            return
        number, place = selection.column.split(".")
        piece = getattr(running.lines[int(number)], place)
        if piece is None:
            raise KeyError(place)

        def change_piece(**changes: Any) -> Change:
            return lambda r, e: edits.change_piece(r, e, selection.kind, int(number), place, piece.but(**changes))

        self._section("What")
        what = f"Change the {selection.kind}"
        names = ("text",) if piece.kind == "text" else ("file", "height")
        self._properties(type(piece), piece, names, what, change_piece)
        if piece.kind == "text":
            self._looks(report, piece, what, change_piece)
        self._action("Take it out", lambda r, e: edits.change_piece(r, e, selection.kind, int(number), place, None))

    def _text(self, report: Report, edition: str, selection: Selection) -> None:
        block: TextBlock = edits.block_of(report, edition, selection.block)
        change = self._block_change(selection.block)
        self._title(f"Text · {block.name}")
        self._section("What")
        self._properties(TextBlock, block, ("text",), "Change the text", change)
        self._section("Where")
        self._properties(TextBlock, block, ("space_after", "visible"), "Change the text", change)
        self._looks(report, block, "Change the look", change)
        self._action("Take it out", lambda r, e: edits.remove_block(r, e, selection.block))

    def _picture(self, report: Report, edition: str, selection: Selection) -> None:
        block: PictureBlock = edits.block_of(report, edition, selection.block)
        change = self._block_change(selection.block)
        self._title(f"Picture · {block.name}")
        self._section("What")
        self._properties(PictureBlock, block, ("file",), "Change the picture", change)
        self._section("Where")
        self._properties(
            PictureBlock, block, ("height", "align", "space_after", "visible"), "Change the picture", change
        )
        self._action("Take it out", lambda r, e: edits.remove_block(r, e, selection.block))

    def _table(self, report: Report, edition: str, selection: Selection) -> None:
        table = edits.table_of(report, edition, selection.block)
        change = self._block_change(selection.block)
        self._title(f"Table · {table.name}")
        self._section("What")
        queries = [q.name for q in report.queries]
        self._property(TableBlock, table, "query", lambda v: self._edit("Change the query", change(query=v)), queries)
        self._row_order(table, change)
        self._properties(TableBlock, table, ("show_details", "keep_rows", "when_empty"), "Change what is shown", change)
        self._section("Where")
        self._properties(
            TableBlock, table, ("repeat_head", "rows_per_page", "space_after", "visible"), "Change the table", change
        )
        self._section("Look")
        for name in ("style", "head_style"):
            self._style(report, table, name, "Change the style", change)
        if table.total is None:
            self._action("Add a total of all", lambda r, e: _with_grand_total(r, e, table.name), "sigma")

    def _level(self, report: Report, edition: str, selection: Selection) -> None:
        table = edits.table_of(report, edition, selection.block)
        level = next(lv for lv in table.levels if lv.name == selection.level)

        def change(**changes: Any) -> Change:
            return lambda r, e: edits.change_level(r, e, table.name, level.name, **changes)

        self._title(f"Level {table.levels.index(level) + 1} · {level.name}")
        self._section("What")
        self._properties(Level, level, ("by",), "Change the grouping", change)
        self._period(table, level)
        fields = ("order", "order_by", "first_groups", "keep_groups")
        self._properties(Level, level, fields, "Change the grouping", change)
        self._section("Where")
        names = ("page_break", "keep_together", "largest_gap", "repeat_heading", "rows_after_heading",
        "rows_before_total",
                 "restart_page_number")  # fmt: skip
        self._properties(Level, level, names, "Change the breaks", change)
        if level.heading is None:
            cell = Cell(column=table.columns[0].name, text=f"{{{level.by}}}", span=len(table.columns))
            heading = Row(style=_known_style(report, "heading"), cells=(cell,))
            self._action("Add a heading", change(heading=heading), "heading")
        if level.total is None:
            cells = edits.total_cells(report.query(table.query), table.columns, f"Total for {{{level.by}}}")
            self._action("Add a total", change(total=Row(style=_known_style(report, "total"), cells=cells)), "sigma")
        self._action("Move outward", lambda r, e: edits.move_level(r, e, table.name, level.name, -1), "arrow-up")
        self._action("Move inward", lambda r, e: edits.move_level(r, e, table.name, level.name, 1), "arrow-down")
        self._action("Remove the level", lambda r, e: edits.remove_level(r, e, table.name, level.name))

    def _row_order(self, table: TableBlock, change: Callable[..., Change]) -> None:
        """The order of the rows within the innermost group, as one line."""

        def commit(text: str) -> None:
            self._edit("Change the order of rows", lambda r, e: change(order=read_order(text))(r, e))

        line = LineEditor(order_text(table.order), commit)
        line.setPlaceholderText("as the query gives them")
        line.setObjectName("expression")
        line.setAccessibleName("Rows ordered by")
        line.setToolTip("Expressions over a row, with commas between them; desc after one: the largest first")
        line.setProperty("field", "order")
        self._labelled("Rows ordered by", line)

    def _period(self, table: TableBlock, level: Level) -> None:
        """Offer the periods of a date."""
        period, inner = period_of(level.by)
        kind = self._desk.kinds.get(table.query, {}).get(bare_column(inner) or "")
        if period == "value" and kind not in ("date", "timestamp"):
            return
        names = {name: PERIOD_NAMES[name] for name in PERIODS if name != "hour" or kind != "date"}

        def choose(chosen: str) -> None:
            self._edit("Change the period", lambda r, e: by_period(r, e, table.name, level.name, chosen))

        editor = choice_editor(names, period, choose, None)
        editor.setAccessibleName("Each")
        editor.setToolTip("The period of the date that makes a group")
        editor.setProperty("field", "period")
        self._labelled("Each", editor)

    def _row(self, report: Report, edition: str, selection: Selection) -> None:
        table = edits.table_of(report, edition, selection.block)
        if selection.row in ("head", "detail"):
            self._title("Head of the table" if selection.row == "head" else "Rows")
            self._section("Look")
            name = "head_style" if selection.row == "head" else "style"
            self._style(report, table, name, "Change the style", self._block_change(table.name))
            return
        row = edits.row_of(table, selection.row or "", selection.level)
        if row is None:
            raise KeyError(selection.row)
        self._title(_row_title(selection))

        def change(**changes: Any) -> Change:
            return lambda r, e: edits.change_row(
                r, e, table.name, selection.row or "", selection.level, row.but(**changes)
            )

        self._looks(report, row, "Change the look", change)
        self._action(
            "Take the row out",
            lambda r, e: edits.change_row(r, e, table.name, selection.row or "", selection.level, None),
        )

    def _cell(self, report: Report, edition: str, selection: Selection) -> None:
        table = edits.table_of(report, edition, selection.block)
        column = next(c for c in table.columns if c.name == selection.column)

        def change_column(**changes: Any) -> Change:
            return lambda r, e: edits.change_column(r, e, table.name, column.name, **changes)

        if selection.row in ("head", "detail"):
            self._title(f"{'Head' if selection.row == 'head' else 'Rows'} · {column.name}")
            self._section("What")
            what = ("title",) if selection.row == "head" else _content_fields(column)
            self._properties(Column, column, what, "Change the cell", change_column)
            self._section("Where")
            self._properties(Column, column, ("width", "visible"), "Change the column", change_column)
            if selection.row == "detail":
                self._properties(Column, column, ("blank_repeats",), "Change repeats", change_column)
                self._looks(report, column, "Change the look", change_column)
            self._action("Remove the column", lambda r, e: edits.remove_column(r, e, table.name, column.name))
            return
        self._group_cell(report, table, column, selection)

    def _group_cell(self, report: Report, table: TableBlock, column: Column, selection: Selection) -> None:
        row = edits.row_of(table, selection.row or "", selection.level)
        if row is None:
            raise KeyError(selection.row)
        cell = next((c for c in row.cells if c.column == column.name), None) or Cell(column=column.name)
        where = (table.name, selection.row or "", selection.level, column.name)

        def change(**changes: Any) -> Change:
            return lambda r, e: edits.change_cell(r, e, *where, **changes)

        self._title(f"{_row_title(selection)} · {column.name}")
        self._section("What")
        self._properties(Cell, cell, _content_fields(cell), "Change the cell", change)
        self._section("Where")
        self._properties(Cell, cell, ("span",), "Change the span", change)

        def change_column(**changes: Any) -> Change:
            return lambda r, e: edits.change_column(r, e, table.name, column.name, **changes)

        self._properties(Column, column, ("width", "visible"), "Change the column", change_column)
        self._looks(report, cell, "Change the look", change)
        self._action("Empty the cell", lambda r, e: edits.remove_cell(r, e, *where))

    # pieces of forms

    def _block_change(self, block: str) -> Callable[..., Change]:
        def change(**changes: Any) -> Change:
            return lambda r, e: edits.change_block(r, e, block, **changes)

        return change

    def _edit(self, label: str, change: Change) -> None:
        if not self._desk.edit(label, change):
            self.refresh()

    def _title(self, text: str) -> None:
        label = QLabel(text)
        label.setObjectName("name")
        label.setWordWrap(True)
        self._add(label)

    def _note(self, text: str) -> None:
        label = QLabel(text)
        label.setObjectName("quiet")
        label.setWordWrap(True)
        self._add(label)

    def _section(self, text: str) -> None:
        line = QFrame()
        line.setFixedHeight(1)
        line.setStyleSheet(f"background: {LINE};")
        self._add(line)
        label = QLabel(text)
        label.setObjectName("section")
        self._add(label)
        self._fields = QFormLayout()
        self._fields.setSpacing(6)
        self._fields.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self._fields.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self._fields.setRowWrapPolicy(QFormLayout.RowWrapPolicy.DontWrapRows)
        assert self._form is not None
        self._form.addLayout(self._fields)

    def _add(self, widget: QWidget) -> None:
        assert self._form is not None
        self._form.addWidget(widget)

    def _properties(
        self, kind: type[Part], part: Part, fields: Sequence[str], label: str, change: Callable[..., Change]
    ) -> None:
        for field in fields:
            self._property(kind, part, field, partial(self._commit, label, change, field))

    def _commit(self, label: str, change: Callable[..., Change], field: str, value: Any) -> None:
        self._edit(label, lambda r, e: change(**{field: value})(r, e))  # made within the edit, which tells refusals

    def _edit_report(self, name: str, value: Any) -> None:
        self._edit(f"Change the {label_of(name).lower()}", lambda r, _: r.but(**{name: value}))

    def _property(
        self,
        kind: type[Part],
        part: Part,
        field: str,
        commit: Callable[[Any], object],
        choices: list[str] | None = None,
    ) -> None:
        self._labelled(label_of(field), editor_for(kind, field, getattr(part, field), commit, choices))

    def _labelled(self, name: str, editor: QWidget) -> None:
        assert self._fields is not None
        label = QLabel(name)
        label.setObjectName("quiet")
        label.setBuddy(editor)
        label.setMinimumWidth(96)
        label.setToolTip(editor.toolTip())
        self._fields.addRow(label, editor)

    def _style(self, report: Report, part: Part, field: str, label: str, change: Callable[..., Change]) -> None:
        names = [style.name for style in report.styles]
        self._property(type(part), part, field, lambda v: self._edit(label, change(**{field: v})), names)

    def _looks(self, report: Report, part: Any, label: str, change: Callable[..., Change]) -> None:
        self._section("Look")
        self._style(report, part, "style", label, change)

        def change_look(**changes: Any) -> Change:
            return change(look=edits.changed_look(part.look, **changes))

        self._properties(Look, part.look or Look(), LOOK_FIELDS, label, change_look)

    def _action(self, text: str, change: Change, drawing: str = "trash-2") -> None:
        button = QPushButton(icon(drawing), text)
        button.setToolTip(f"{text}; it can be undone")
        button.clicked.connect(lambda: self._edit(text, change))
        self._add(button)


def _content_fields(part: Cell | Column) -> tuple[str, ...]:
    return ("text",) if part.text is not None else ("value", "format", "when_null", "when_zero")


def _row_title(selection: Selection) -> str:
    if selection.level is None:
        return "Total of all"
    return f"{'Heading' if selection.row == 'heading' else 'Total'} of {selection.level}"


def _known_style(report: Report, name: str) -> str | None:
    return name if any(s.name == name for s in report.styles) else None


def _edition_page(report: Report, edition: str) -> PageSetup:
    found = report.edition(edition)
    assert found is not None
    return found.page


def _with_grand_total(report: Report, edition: str, table: str) -> Report:
    block = edits.table_of(report, edition, table)
    cells = edits.total_cells(report.query(block.query), block.columns, "Total")
    return edits.change_block(report, edition, table, total=Row(style=_known_style(report, "grand-total"), cells=cells))
