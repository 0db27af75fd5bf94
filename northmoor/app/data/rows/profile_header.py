"""The head of the rows: each column's name over a small profile of what is in it."""

from typing import Any

from PyQt6.QtCore import QRect, QSize, Qt
from PyQt6.QtGui import QFont, QPainter
from PyQt6.QtWidgets import QHeaderView, QWidget

from northmoor.app.language.translation import in_sentence, tr, tr_count
from northmoor.app.widgets.theme import GORSE_TEXT, HEATHER, LINE, LIT, MIST, PEAT, RAILS, STONE_TEXT, ink
from northmoor.core.compute.explore.profile import ColumnProfile
from northmoor.core.engine.rows import Rows
from northmoor.core.expr.formats import FormatLocale, format_one
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.kinds.aggregates import TOTALS
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME

HEIGHT = 74


class ProfileHeader(QHeaderView):
    """Shows name, type, distinct values, blanks and a distribution; a click sorts for looking."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self._rows: Rows | None = None
        self.profiles: tuple[ColumnProfile, ...] = ()
        self._settings: dict[str, QueryColumn] = {}
        self._customs = FormatLocale()
        self.setSectionsClickable(True)
        self.setHighlightSections(False)
        self.setMinimumSectionSize(60)
        self.setAccessibleName(tr("Columns"))

    def show_columns(self, rows: Rows | None, format_locale: FormatLocale, settings: dict[str, QueryColumn]) -> None:
        """Show the columns of some rows; their profiles follow."""
        self._rows, self._customs, self._settings = rows, format_locale, settings
        self.profiles = ()
        self.viewport().update()

    def show_profiles(self, profiles: tuple[ColumnProfile, ...]) -> None:
        """Show what is in the columns."""
        self.profiles = profiles
        self.viewport().update()

    def sizeHint(self) -> QSize:
        """Room for name, type and bars."""
        return QSize(super().sizeHint().width(), HEIGHT)

    def message(self, column: int) -> str:
        """A column's profile in words."""
        if self._rows is None or column >= len(self.profiles):
            return ""
        found = self.profiles[column]
        name, kind = self._rows.names[column], self._rows.types[column]
        lines = [
            f"{name}: {kind}",
            tr("{distinct:,} distinct values").format(distinct=found.distinct),
            tr("{blanks:,} blank").format(blanks=found.blanks),
        ]
        if found.is_unique:
            lines.append(tr("no value is there twice: it is a key of these rows"))
        if found.low is not None:
            lines.append(tr("from {low} to {high}").format(low=self._text(found.low), high=self._text(found.high)))
        if found.far:
            rows = tr_count(sum(part.count for part in found.far), "{count} row", "{count} rows")
            lines.append(tr("far from the others: {rows}").format(rows=rows))
        return "\n".join(lines)

    def _text(self, value: Any) -> str:
        return format_one(value, "0" if type(value) is int else None, self._customs)[:40]

    def paintSection(self, painter: QPainter | None, rect: QRect, column: int) -> None:
        """Draw a column's head."""
        if painter is None or self._rows is None or column >= len(self._rows.names):
            return
        painter.save()
        is_sorted = self.isSortIndicatorShown() and self.sortIndicatorSection() == column
        is_chosen = self.property("chosen") == self._rows.names[column]
        painter.fillRect(rect, ink(LIT if is_chosen else MIST))
        painter.setPen(ink(LINE))
        painter.drawLine(rect.topRight(), rect.bottomRight())
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        room = rect.adjusted(8, 6, -8, -5)
        self._paint_name(painter, room, column, is_sorted)
        left = room.width() - self._paint_blanks(painter, room, column)
        self._paint_bars(painter, QRect(room.left(), room.bottom() - 21, min(left, 92), 20), column)
        painter.restore()

    def _paint_name(self, painter: QPainter, room: QRect, column: int, is_sorted: bool) -> None:
        assert self._rows is not None
        name = self._rows.names[column]
        setting = self._settings.get(name, QueryColumn(name=name))
        bold = QFont(self.font())
        bold.setWeight(QFont.Weight.DemiBold)
        painter.setFont(bold)
        painter.setPen(ink(STONE_TEXT if setting.hidden else PEAT))
        arrow = ("  ↓" if self.sortIndicatorOrder() == Qt.SortOrder.DescendingOrder else "  ↑") if is_sorted else ""
        width = painter.fontMetrics().horizontalAdvance(arrow)
        shown = painter.fontMetrics().elidedText(setting.shown_name, Qt.TextElideMode.ElideRight, room.width() - width)
        painter.drawText(room, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, shown + arrow)
        small = QFont(self.font())
        small.setPixelSize(11)
        painter.setFont(small)
        painter.setPen(ink(STONE_TEXT))
        line = room.adjusted(0, 18, 0, 0)
        facts = painter.fontMetrics().elidedText(
            self._facts(column, setting), Qt.TextElideMode.ElideRight, line.width()
        )
        painter.drawText(line, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, facts)

    def _paint_blanks(self, painter: QPainter, room: QRect, column: int) -> int:
        """Write how many blanks there are, in the small font of the facts; the room that this takes."""
        if column >= len(self.profiles) or not self.profiles[column].blanks:
            return 0
        blanks = tr("{blanks:,} blank").format(blanks=self.profiles[column].blanks)
        painter.setPen(ink(GORSE_TEXT))
        painter.drawText(room, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignRight, blanks)
        return painter.fontMetrics().horizontalAdvance(blanks) + 6

    def _facts(self, column: int, setting: QueryColumn) -> str:
        assert self._rows is not None
        facts = [str(self._rows.types[column])]
        if column < len(self.profiles) and not self._rows.types[column].is_number:
            distinct = self.profiles[column].distinct
            values = tr_count(distinct, "{count} value", "{count} values")
            facts.append(tr("unique") if self.profiles[column].is_unique else values)
        if total := TOTALS.get(setting.total or ""):
            facts.append(in_sentence(tr(total)))
        return " · ".join([tr("hidden"), *facts] if setting.hidden else facts)

    def _paint_bars(self, painter: QPainter, room: QRect, column: int) -> None:
        if column >= len(self.profiles) or not self.profiles[column].bars:
            return
        bars = self.profiles[column].bars
        tallest, width = max(bars), max(2, min(7, room.width() // max(len(bars), 1) - 1))
        assert self._rows is not None
        is_text = not KIND_OF_NAME[self._rows.types[column].kind].is_ordered
        color = ink(RAILS[1] if is_text else HEATHER)
        color.setAlphaF(0.55)
        for number, count in enumerate(bars):
            height = max(round(count / tallest * room.height()), 1 if count else 0)
            painter.fillRect(room.left() + number * (width + 1), room.bottom() - height + 1, width, height, color)
