"""Asks how a table is joined: which one, by which columns, which rows stay; and says beforehand what that matches."""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QPlainTextEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.query.dialogs.step_dialog import StepDialog
from northmoor.app.data.query.dialogs.table_picker import TablePicker
from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError, QueryError
from northmoor.core.expr.identifiers import sql_table
from northmoor.core.sources.builder.asides import JoinMatch, JoinPair, join_condition, match_sql, overlap_sql
from northmoor.core.sources.builder.edits import column_texts
from northmoor.core.sources.builder.joins import (
    JOIN_OPERATORS,
    JoinKind,
    column_candidates,
    join_proposals,
    joined,
    new_alias,
    proposed_pairs,
    read_join_kind,
    read_join_pairs,
)
from northmoor.core.sources.builder.select_model import FromItem, SelectModel
from northmoor.core.sources.drivers.catalog import CatalogTable

_KINDS: dict[JoinKind, str] = {
    "join": tr("Only rows that have a match"),
    "left join": tr("All rows so far, with a match or not"),
    "right join": tr("All rows of the new table, with a match or not"),
    "full join": tr("All rows of both"),
    "cross join": tr("Every row with every row"),
    "some": tr("Only rows with a match (adds no columns)"),
    "none": tr("Only rows without a match (adds no columns)"),
    "latest": tr("With the latest row before each"),
}
_SETTLE = 300  # milliseconds without a change before the rows are counted
_LIMIT = 8_000  # milliseconds after which counting is given up
_GOOD_SHARE = 0.5


class PairRow(QWidget):
    """One pair of columns and how they compare."""

    changed = pyqtSignal()
    gone = pyqtSignal(object)

    def __init__(
        self, left: Sequence[str], right: Sequence[str], pair: JoinPair, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.left, self.operator, self.right = QComboBox(), QComboBox(), QComboBox()
        for box, offered, chosen, name in (
            (self.left, left, pair.left, tr("Column so far")),
            (self.right, right, pair.right, tr("Column of the new table")),
        ):
            box.addItems([*offered, *([chosen] if chosen not in offered and chosen else [])])
            box.setCurrentIndex(box.findText(chosen) if chosen else -1)
            box.setAccessibleName(name)
            box.setMinimumContentsLength(18)
        self.operator.addItems(list(JOIN_OPERATORS))
        self.operator.setCurrentText(pair.operator)
        self.operator.setAccessibleName(tr("How they compare"))
        remove = QToolButton()
        remove.setIcon(icon("x"))
        remove.setToolTip(tr("Remove this pair"))
        remove.setAccessibleName(tr("Remove this pair"))
        remove.clicked.connect(lambda: self.gone.emit(self))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.left, 1)
        row.addWidget(self.operator)
        row.addWidget(self.right, 1)
        row.addWidget(remove)
        for box in (self.left, self.operator, self.right):
            box.currentIndexChanged.connect(lambda _: self.changed.emit())

    def pair(self) -> JoinPair | None:
        """The pair; None while a column is not chosen."""
        left, right = self.left.currentText(), self.right.currentText()
        return JoinPair(left, self.operator.currentText(), right) if left and right else None


class JoinDialog(StepDialog):
    """Asks how a table is joined to a sentence; `taken` is the one that is joined already, when its join is changed."""

    def __init__(
        self,
        sentence: SelectModel,
        around: SentenceContext,
        taken: FromItem | None = None,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(
            tr("Join a table") if taken is None else tr("How {name} is joined").format(name=taken.known_as),
            parent,
        )
        self._sentence, self._around, self._taken = sentence, around, taken
        self._asked: tuple[FromItem, str] | None = None
        self._asking: list[CancelToken] = []
        self._rows: list[PairRow] = []
        self._given: tuple[JoinKind | None, tuple[JoinPair, ...], str] | None = None
        self.picker: TablePicker | None = None
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Which rows stay"))
        self.ways = QComboBox()
        self.ways.setAccessibleName(tr("Ways to join"))
        self.another = QPushButton(icon("plus"), tr("Another pair"))
        self.compare = QPushButton(icon("search"), tr("Find columns with the same values"))
        self.as_sql = QCheckBox(tr("Any condition, as SQL"))
        self.sql = QPlainTextEdit()
        self.sql.setFixedHeight(64)
        self.sql.setTabChangesFocus(True)
        self.sql.setAccessibleName(tr("Condition of the join, as SQL"))
        self.match = QLabel()
        self.match.setWordWrap(True)
        self.match.setTextFormat(Qt.TextFormat.PlainText)
        self._timer, self._limit = QTimer(self), QTimer(self)
        for timer, wait in ((self._timer, _SETTLE), (self._limit, _LIMIT)):
            timer.setSingleShot(True)
            timer.setInterval(wait)
        self._place()
        self._connect()
        self._show_table()

    def _place(self) -> None:
        self.pairs = QVBoxLayout()
        self.pairs.setSpacing(4)
        form = QFormLayout()
        form.addRow(tr("&Rows"), self.kind)
        self._form = form
        form.addRow(tr("&By"), self.ways)
        form.addRow("", self._held(self.pairs))
        buttons_of_pairs = QHBoxLayout()
        for button in (self.another, self.compare):
            button.setAutoDefault(False)
            buttons_of_pairs.addWidget(button)
        buttons_of_pairs.addStretch(1)
        form.addRow("", self._held(buttons_of_pairs))
        form.addRow("", self.as_sql)
        form.addRow("", self.sql)
        self.ok.setText(tr("Join") if self._taken is None else tr("Change"))
        layout = QVBoxLayout(self)
        if self._taken is None:
            ways = [(t.name, self._reason(t.name)) for t in self._around.catalog.tables]
            proposed = [(name, reason) for name, reason in ways if reason]
            proposed.sort(key=lambda each: not each[1].startswith("key"))
            self.picker = TablePicker(self._around, proposed, self)
            self.picker.setMinimumHeight(250)
            layout.addWidget(self.picker, 1)
        layout.addLayout(form)
        layout.addWidget(self.match)
        layout.addWidget(self.fault)
        layout.addWidget(self.buttons)
        self.resize(840, 640 if self._taken is None else 300)

    @staticmethod
    def _held(layout: QVBoxLayout | QHBoxLayout) -> QWidget:
        layout.setContentsMargins(0, 0, 0, 0)
        held = QWidget()
        held.setLayout(layout)
        return held

    def _reason(self, table: str) -> str:
        ways = join_proposals(self._around.catalog, self._sentence.from_items, table)
        if not ways:
            return ""
        return f"{tr('key') if ways[0].is_key else tr('same name')}: {', '.join(new for new, _ in ways[0].pairs)}"

    def _connect(self) -> None:
        if self.picker is not None:
            self.picker.chosen.connect(lambda _: self._show_table())
            self.picker.activated.connect(lambda _: self.accept())
        self.kind.currentIndexChanged.connect(lambda _: self._changed())
        self.ways.activated.connect(lambda at: self._take_way(self.ways.itemData(at)))
        self.another.clicked.connect(lambda: self._add(JoinPair("", "=", "")))
        self.compare.clicked.connect(self._find)
        self.as_sql.toggled.connect(self._turn_to_sql)
        self.sql.textChanged.connect(self._changed)
        self._timer.timeout.connect(self._count)
        self._limit.timeout.connect(self._give_up)
        self.finished.connect(lambda _: self._end())

    # the table

    def _before(self) -> SelectModel:
        """The sentence before the table is joined."""
        if self._taken is None:
            return self._sentence
        at = self._sentence.from_items.index(self._taken)
        return SelectModel(self._sentence.from_items[:at], self._sentence.select_items, steps=self._sentence.steps)

    def _table(self) -> CatalogTable | None:
        if self.picker is not None:
            return self.picker.current()
        assert self._taken is not None
        return self._around.catalog.table(self._taken.table)

    def new(self) -> FromItem | None:
        """The table that is joined; None while there is none to choose."""
        if self._taken is not None:
            return self._taken
        table = self._table()
        if table is None:
            return None
        name = sql_table(table.name, self._around.dialect)
        return FromItem(name, new_alias(self._sentence, name))

    def _show_table(self) -> None:
        new, before = self.new(), self._before()
        self.ok.setEnabled(new is not None)
        if new is None:
            self._take_way(())
            return
        self._fill_kinds(new)
        ways = join_proposals(self._around.catalog, before.from_items, self._plain_name(new))
        self.ways.clear()
        for way in ways:
            found = proposed_pairs(new, way, self._around.dialect)
            words = tr(" and ").join(f"{p.left} = {p.right}" for p in found)
            self.ways.addItem(f"{words}{tr('   (key)') * way.is_key}", found)
        self._form.setRowVisible(self.ways, len(ways) > 1)
        pairs = read_join_pairs(new, before.from_items[-1].known_as, self._around.dialect) if self._taken else None
        if self._taken is not None and pairs is None:
            self.as_sql.setChecked(True)
            self.sql.setPlainText(new.on)
        self._turn_to_sql(self.as_sql.isChecked())
        if self._taken is None:
            pairs = self.ways.itemData(0) if ways else (JoinPair("", "=", ""),)
        self._take_way(pairs or ())
        if self._taken is not None:
            self._given = self._filled()
        elif not ways and self._around.ask is not None:
            self._find()

    def _plain_name(self, new: FromItem) -> str:
        table = self._table()
        return table.name if table is not None else new.table

    def _fill_kinds(self, new: FromItem) -> None:
        chosen = self.kind.currentData() or "join"
        own = read_join_kind(new, self._around.dialect) if self._taken is not None else None
        self.kind.blockSignals(True)
        self.kind.clear()
        for kind, words in _KINDS.items():
            if self._taken is None or kind not in ("some", "none"):
                self.kind.addItem(words.replace(tr("the new table"), new.known_as), kind)
        if self._taken is not None and own is None:
            self.kind.addItem(tr("As it is: {join}").format(join=new.join), None)
        self.kind.setCurrentIndex(self.kind.findData(own if self._taken is not None else chosen))
        self.kind.blockSignals(False)

    # pairs

    def _take_way(self, pairs: Sequence[JoinPair]) -> None:
        for row in self._rows:
            hide_and_delete(row)
        self._rows = []
        for pair in pairs:
            self._add(pair)
        self._changed()

    def _add(self, pair: JoinPair) -> None:
        new, table = self.new(), self._table()
        if new is None:
            return
        right = column_texts(new, table, self._around.dialect) if table is not None else []
        row = PairRow(self._around.columns(self._before()), right, pair, self)
        row.changed.connect(self._changed)
        row.gone.connect(self._remove)
        self._rows.append(row)
        self.pairs.addWidget(row)

    def _remove(self, row: PairRow) -> None:
        self._rows.remove(row)
        hide_and_delete(row)
        self._changed()

    def _turn_to_sql(self, is_sql: bool) -> None:
        if is_sql and not self.sql.toPlainText().strip():
            self.sql.setPlainText(join_condition(self._pairs()))
        self._form.setRowVisible(self.sql, is_sql)
        for row in self._rows:
            row.setVisible(not is_sql)
        for button in (self.another, self.compare):
            button.setVisible(not is_sql)
        self._changed()

    def _pairs(self) -> tuple[JoinPair, ...]:
        return tuple(pair for row in self._rows if (pair := row.pair()) is not None)

    def _filled(self) -> tuple[JoinKind | None, tuple[JoinPair, ...], str]:
        is_sql = self.as_sql.isChecked()
        return self.kind.currentData(), () if is_sql else self._pairs(), self.sql.toPlainText() if is_sql else ""

    # the result

    def sentence(self) -> SelectModel:
        """The sentence with the table joined. Raises QueryError when something is missing."""
        new, filled = self.new(), self._filled()
        if new is None:
            raise QueryError(tr("Choose a table."))
        if self._given == filled:
            return self._sentence
        kind, pairs, condition = filled
        if kind is None:
            raise QueryError(tr("This kind of join stays as it is; choose another, or change it in the SQL."))
        whole = joined(self._before(), new, kind, pairs, condition)
        if self._taken is None:
            return whole
        items = self._sentence.from_items
        at = items.index(self._taken)
        is_latest = "latest" in (kind, self._given[0] if self._given is not None else None)
        same_by = self._given is not None and self._given[1:] == filled[1:] and kind != "cross join" and not is_latest
        changed = whole.from_items[-1]
        changed = FromItem(new.table, new.alias, changed.join, new.using, new.on) if same_by else changed
        return replace(self._sentence, from_items=(*items[:at], changed, *items[at + 1 :]))

    def check(self) -> None:
        """See that what is filled in is whole. Raises QueryError."""
        self.sentence()

    # what matches

    def _changed(self) -> None:
        self.fault.setText("")
        self._timer.start()

    def _count(self) -> None:
        new, (kind, pairs, condition) = self.new(), self._filled()
        on = join_condition(pairs) or condition.strip()
        is_whole = bool(on) or kind == "cross join"
        if new is None or self._around.ask is None or not is_whole:
            self.match.setText("")
            return
        self._asked = (new, on)
        self.match.setText(tr("Counting what matches …"))
        self._limit.start()
        self._ask(match_sql(self._before(), new, on), partial(self._show_count, self._asked))

    def _ask(self, sql: str, done: Callable[[object], None]) -> None:
        for stop in self._asking:
            stop.cancel()
        assert self._around.ask is not None
        self._asking = [self._around.ask(sql, done)]

    def _give_up(self) -> None:
        self._end()
        self.match.setText(
            tr("Counting takes more than {seconds} seconds and was stopped; the join can still be made.").format(
                seconds=_LIMIT // 1000
            )
        )

    def _end(self) -> None:
        self._limit.stop()
        self._timer.stop()
        for stop in self._asking:
            stop.cancel()
        if self.picker is not None:
            self.picker.close_asking()

    def _show_count(self, asked: object, answer: object) -> None:
        if asked != self._asked:
            return
        self._limit.stop()
        if isinstance(answer, NorthmoorError):
            self.match.setText(tr("What matches could not be counted: {fault}").format(fault=answer.message))
            return
        assert isinstance(answer, Rows)
        figures = [int(value) for value in answer.table.to_pylist()[0].values()]
        new, kind = self.new(), self.kind.currentData()
        self.match.setText(match_words(JoinMatch(*figures), kind or "join", new.known_as if new is not None else ""))

    # columns with the same values

    def _find(self) -> None:
        new, before = self.new(), self._before()
        if new is None or self._around.ask is None:
            return
        ways = column_candidates(self._around.catalog, before.from_items, self._plain_name(new))
        pairs = [pair for way in ways for pair in proposed_pairs(new, way, self._around.dialect)]
        if not pairs:
            self.match.setText(tr("No columns of one type; choose a pair, or write the condition as SQL."))
            return
        self.match.setText(tr("Comparing the values of columns …"))
        self._limit.start()
        self._ask(overlap_sql(before, new, pairs), partial(self._take_overlaps, new, pairs))

    def _take_overlaps(self, new: FromItem, pairs: list[JoinPair], answer: object) -> None:
        if new != self.new():
            return
        self._limit.stop()
        if isinstance(answer, NorthmoorError):
            self.match.setText(tr("Values could not be compared: {fault}").format(fault=answer.message))
            return
        assert isinstance(answer, Rows)
        figures = [int(value) for value in answer.table.to_pylist()[0].values()]
        counted = zip(figures[::2], figures[1::2], pairs, strict=True)
        shares = [(met / count, count, pair) for count, met, pair in counted if count > 1]
        good = sorted((s for s in shares if s[0] >= _GOOD_SHARE), key=lambda s: (-s[0], -s[1]))
        if not good:
            self.match.setText(tr("No two columns have most of their values in common; choose a pair yourself."))
            return
        self.ways.clear()
        for share, count, pair in good:
            self.ways.addItem(
                tr("{left} = {right}   ({share:.0%} of {count:,} values)").format(
                    left=pair.left, right=pair.right, share=share, count=count
                ),
                (pair,),
            )
        self._form.setRowVisible(self.ways, True)
        self._take_way((good[0][2],))


def match_words(match: JoinMatch, kind: str, table: str) -> str:
    """What a join matches, in words."""
    if kind == "cross join":
        return tr("{before:,} rows so far × {others:,} of {table} = {rows:,} rows.").format(
            before=match.before, others=match.others, table=table, rows=match.rows(kind)
        )
    lost = match.before - match.matched
    words = [tr("{before:,} rows so far: {matched:,} find a match").format(before=match.before, matched=match.matched)]
    if lost:
        fate = tr("are kept without one") if kind in ("left join", "full join", "latest") else tr("are left out")
        words[0] += tr(", {lost:,} find none and {fate}").format(lost=lost, fate=tr("stay") if kind == "none" else fate)
    if kind == "none":
        return tr("{words}. {lost:,} rows.").format(words=words[0], lost=lost)
    if kind == "some":
        return tr("{words}. {matched:,} rows.").format(words=words[0], matched=match.matched)
    if match.joined > match.matched:
        words.append(
            tr("some match several times, so that {matched:,} rows become {joined:,}").format(
                matched=match.matched, joined=match.joined
            )
        )
    if match.unmet:
        fate = tr("stay too") if kind in ("right join", "full join") else tr("are not used")
        words.append(
            tr("{unmet:,} of {others:,} rows of {table} match none and {fate}").format(
                unmet=match.unmet, others=match.others, table=table, fate=fate
            )
        )
    rows = match.before if kind == "latest" else match.rows(kind)
    return tr("{words}. {rows:,} rows.").format(words="; ".join(words), rows=rows)
