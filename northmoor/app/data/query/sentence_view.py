"""The query as a sentence of words and chips: each chip opens what it represents, the last one adds a step."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace

from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QInputDialog, QLabel, QToolButton, QWidget

from northmoor.app.data.query.sentence_dialogs import ColumnsDialog, ComparisonDialog, SortingDialog
from northmoor.app.data.query.sentence_text import by_words, comparison_words, join_words, own_name, short, value_words
from northmoor.app.widgets.flow_layout import GLUED, FlowLayout
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import menu_of
from northmoor.app.widgets.theme import HEATHER, STONE_TEXT
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.sources.builder.edits import (
    ConditionPath,
    add_operand,
    all_columns,
    change_condition,
    condition_at,
    project,
    select_all,
    toggle_connective,
    with_condition,
    with_table,
    without_table,
)
from northmoor.core.sources.builder.joins import join_proposals
from northmoor.core.sources.builder.select_ast import BooleanGroup, Comparison, Condition, SelectItem, SelectModel
from northmoor.core.sources.drivers.catalog import Catalog

_MOST_TABLES = 60


@dataclass(frozen=True)
class SentenceContext:
    """What a sentence can refer to: its connection's catalog, the SQL dialect, the report's parameters."""

    catalog: Catalog = field(default_factory=Catalog)
    dialect: str = "sqlite"
    parameters: tuple[str, ...] = ()


class SentenceView(QWidget):
    """Shows a sentence; a change is reported with what was done and the sentence it makes."""

    changed = pyqtSignal(str, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._sentence: SelectModel | None = None
        self._around = SentenceContext()
        self._flow = FlowLayout(self)
        self._flow.setContentsMargins(14, 10, 14, 10)
        self.setAccessibleName("Sentence")

    @property
    def sentence(self) -> SelectModel | None:
        """The sentence that is shown."""
        return self._sentence

    @property
    def around(self) -> SentenceContext:
        """What the sentence can refer to."""
        return self._around

    def show_sentence(self, sentence: SelectModel | None, around: SentenceContext) -> None:
        """Show a sentence."""
        self._sentence, self._around = sentence, around
        self._clear()
        if sentence is not None:
            self._show_words(sentence)
        self.updateGeometry()

    def show_beginning(self, around: SentenceContext) -> None:
        """Show how a sentence begins."""
        self._sentence, self._around = None, around
        self._clear()
        self._word("Take")
        self._chip("a table …", "table-2", self._choose_first, "Choose the table that the sentence begins with", True)

    def show_message(self, text: str) -> None:
        """Show why there is no sentence."""
        self._sentence = None
        self._clear()
        label = self._word(text)
        label.setWordWrap(True)
        label.setMinimumWidth(min(560, max(self.width() - 40, 200)))

    def _clear(self) -> None:
        while (item := self._flow.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                hide_and_delete(widget)

    # saying

    def _show_words(self, sentence: SelectModel) -> None:
        self._word("Take")
        for at, taken in enumerate(sentence.from_items):
            if at:
                is_another = at > 1 and sentence.from_items[at - 1].join == taken.join == "join"
                self._word("and" if is_another else join_words(taken))
            name = taken.table + (f" {taken.alias}" if taken.alias else "")
            self._chip(name, "table-2", lambda at=at: self._table_menu(at), "Change or remove the table")  # type: ignore[misc]
            if at:
                self._word("by")
                self._chip(by_words(taken), "link", lambda at=at: self._join_menu(at), "Change how it is joined")  # type: ignore[misc]
        if sentence.where is not None:
            self._word("where")
            self._show_condition(sentence.where, ())
        self._show_columns(sentence)
        if sentence.having is not None:
            self._word("having")
            for part in sentence.having.parts if isinstance(sentence.having, BooleanGroup) else (sentence.having,):
                text = comparison_words(part) if isinstance(part, Comparison) else "…"
                self._chip(text, "funnel", self._edit_having, "A condition on totals")
        if sentence.sorting:
            self._word("sorted by")
            message = ", ".join(own_name(s.expression) + (" ↓" if s.descending else "") for s in sentence.sorting)
            self._chip(short(message), "arrow-down-a-z", self._edit_sorting, "Change the order")
        if sentence.distinct:
            self._chip("distinct", "x", self._toggle_distinct, "Keep duplicate rows")
        if sentence.first:
            self._word("only the first")
            self._chip(value_words(sentence.first), "list-ordered", self._edit_first, "Change how many rows")
        self._chip("step", "plus", self._step_menu, "Add a step to the sentence", True)

    def _show_condition(self, condition: Condition, path: ConditionPath) -> None:
        if isinstance(condition, Comparison):
            message = "Change the condition, or join another to it"
            self._chip(comparison_words(condition), "funnel", lambda: self._condition_menu(path), message)
            return
        if path:
            self._word("(")
        for number, part in enumerate(condition.parts):
            if number:
                turn = self._chip(
                    condition.joining, "", lambda: self._turn(path), "Click to turn and into or, and back"
                )
                turn.setObjectName("word-button")
            self._show_condition(part, (*path, number))
        if path:
            self._word(")").setProperty(GLUED, True)

    def _show_columns(self, sentence: SelectModel) -> None:
        groups = [k for k in sentence.select_items if {k.expression, k.name} & set(sentence.groups)]
        totals = [kept for kept in sentence.select_items if kept not in groups]
        if sentence.groups or any("(" in kept.expression for kept in totals):
            self._word("total" if sentence.groups else "keep")
            self._chip(_column_words(totals), "sigma", self._edit_columns, "Change columns and totals")
            if sentence.groups:
                self._word("for each")
                self._chip(_column_words(groups), "layers", self._edit_columns, "Change columns and totals")
            return
        self._word("keep")
        everything = sentence.select_items == (SelectItem("*"),)
        count = len(sentence.select_items)
        text = "all columns" if everything else f"{count} column{'s' * (count != 1)}"
        self._chip(
            text,
            "columns-3",
            self._edit_columns,
            "Choose columns, compute and total: " + _column_words(sentence.select_items),
        )

    def _word(self, text: str) -> QLabel:
        label = QLabel(text)
        label.setObjectName("quiet")
        label.setTextFormat(Qt.TextFormat.PlainText)
        self._flow.addWidget(label)
        return label

    def _chip(
        self, text: str, drawing: str, run: Callable[[], object], message: str, is_new: bool = False
    ) -> QToolButton:
        chip = QToolButton()
        chip.setObjectName("new-chip" if is_new else "chip")
        chip.setText(text.replace("&", "&&"))
        if drawing:
            chip.setIcon(icon(drawing, HEATHER if ":" in text else STONE_TEXT, 14))
            chip.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            chip.setIconSize(QSize(14, 14))
        chip.setProperty("bound", ":" in text)
        chip.setToolTip(message)
        chip.setAccessibleName(f"{text}: {message}")
        chip.clicked.connect(lambda: run())
        self._flow.addWidget(chip)
        return chip

    # changing

    def _change(self, label: str, sentence: SelectModel) -> None:
        if sentence != self._sentence:
            self.changed.emit(label, sentence)

    def _columns(self) -> list[str]:
        assert self._sentence is not None
        return all_columns(self._sentence, self._around.catalog, self._around.dialect)

    def _below(self) -> QPoint:
        sender = self.sender()
        chip = sender if isinstance(sender, QWidget) else self
        return chip.mapToGlobal(QPoint(0, chip.height() + 2))

    def _choose_first(self) -> None:
        def take(name: str) -> None:
            table = self._around.catalog.table(name)
            if table is not None:
                self.changed.emit(f"Take {name}", select_all(table, self._around.dialect))

        names = [table.name for table in self._around.catalog.tables if table.columns][:_MOST_TABLES]
        entries: list[tuple[str, object]] = [(name, lambda name=name: take(name)) for name in names]
        menu_of(self, entries or [("The connection has no tables.", None)]).popup(self._below())

    def _table_menu(self, at: int) -> None:
        assert self._sentence is not None
        taken, sentence = self._sentence.from_items[at], self._sentence
        entries: list[tuple[str, object]] = [(f"{taken.table}, known as {taken.known_as}", None), ("", None)]
        can_go = at > 0
        out = (lambda: self._change(f"Remove {taken.known_as}", without_table(sentence, at))) if can_go else None
        entries.append(("Remove" if can_go else "The first table stays; the others join it", out))
        menu_of(self, entries).popup(self._below())

    def _join_menu(self, at: int) -> None:
        assert self._sentence is not None
        sentence, taken = self._sentence, self._sentence.from_items[at]

        def put(**changes: object) -> None:
            changed = replace(taken, **changes)  # type: ignore[arg-type]
            tables = (*sentence.from_items[:at], changed, *sentence.from_items[at + 1 :])
            self._change("Change the join", replace(sentence, from_items=tables))

        is_outer = taken.join.startswith("left")
        ways = join_proposals(self._around.catalog, sentence.from_items[:at], taken.table)
        entries: list[tuple[str, object]] = [
            (f"{'● ' if not is_outer else '   '}Only rows that have a match", lambda: put(join="join")),
            (f"{'● ' if is_outer else '   '}All rows before it, matched or not", lambda: put(join="left join")),
            ("", None),
        ]
        for way in ways:
            made = way.present_table(taken.table, taken.alias, taken.join)
            entries.append((f"By {by_words(made)}", lambda made=made: put(using=made.using, on=made.on)))
        entries.append(("By another condition …", lambda: self._ask_join(put, taken.on or by_words(taken))))
        menu_of(self, entries).popup(self._below())

    def _ask_join(self, put: Callable[..., None], text: str) -> None:
        given, is_given = QInputDialog.getText(self, "Join by", "Condition, as SQL", text=text)
        if is_given and given.strip():
            put(on=given.strip(), using=())

    def _condition_menu(self, path: ConditionPath) -> None:
        assert self._sentence is not None
        sentence = self._sentence
        found = condition_at(sentence.where, path)
        assert isinstance(found, Comparison)

        def edit() -> None:
            changed = self._ask_comparison(found)
            if changed is not None:
                put(change_condition(sentence.where, path, changed))

        def add(joining: str) -> None:
            other = self._ask_comparison(None)
            if other is not None:
                put(add_operand(sentence.where, path, other, joining))  # type: ignore[arg-type]

        def put(where: Condition | None) -> None:
            self._change("Change the condition", replace(sentence, where=where))

        entries: list[tuple[str, object]] = [
            ("Change …", edit),
            ("And another …", lambda: add("and")),
            ("Or another …", lambda: add("or")),
            ("", None),
            ("Remove", lambda: put(change_condition(sentence.where, path, None))),
        ]
        menu_of(self, entries).popup(self._below())

    def _turn(self, path: ConditionPath) -> None:
        assert self._sentence is not None
        self._change(
            "Change the condition", replace(self._sentence, where=toggle_connective(self._sentence.where, path))
        )

    def _ask_comparison(self, comparison: Comparison | None) -> Comparison | None:
        dialog = ComparisonDialog(self._columns(), self._around.parameters, comparison, self)
        return dialog.comparison() if dialog.exec() == QDialog.DialogCode.Accepted else None

    def _edit_columns(self) -> None:
        assert self._sentence is not None
        dialog = ColumnsDialog(self._columns(), self._sentence.select_items, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self._change("Choose columns", project(self._sentence, dialog.select_items(), self._around.dialect))

    def _edit_having(self) -> None:
        assert self._sentence is not None
        held = self._sentence.having
        columns = [kept.expression for kept in self._sentence.select_items]
        first = held if isinstance(held, Comparison) else None
        dialog = ComparisonDialog(columns, self._around.parameters, first, self, can_remove=held is not None)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            having = None if dialog.is_removed else dialog.comparison()
            self._change("Change the condition on totals", replace(self._sentence, having=having))

    def _edit_sorting(self) -> None:
        assert self._sentence is not None
        names = [kept.name or kept.expression for kept in self._sentence.select_items if kept.expression != "*"]
        choices = list(dict.fromkeys([*names, *(() if self._sentence.groups else self._columns())]))
        dialog = SortingDialog(choices, self._sentence.sorting, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self._change("Change the order", replace(self._sentence, sorting=dialog.order_items()))

    def _edit_first(self) -> None:
        assert self._sentence is not None
        offered = [f":{name}" for name in self._around.parameters]
        text = self._sentence.first or "10"
        given, is_given = QInputDialog.getItem(
            self,
            "Only the first rows",
            "How many, or a parameter (empty for all)",
            list(dict.fromkeys([text, *offered])),
        )
        if is_given:
            self._change("Change how many rows", replace(self._sentence, first=given.strip()))

    def _toggle_distinct(self) -> None:
        assert self._sentence is not None
        self._change("Change repeats", replace(self._sentence, distinct=not self._sentence.distinct))

    def _step_menu(self) -> None:
        assert self._sentence is not None
        entries: list[tuple[str, object]] = [
            ("join another table …", self._choose_joined),
            ("where …", self._add_condition),
            ("keep, compute or total columns …", self._edit_columns),
            ("sorted by …", self._edit_sorting),
            ("limit to the first rows …", self._edit_first),
        ]
        if not self._sentence.distinct:
            entries.append(("distinct", self._toggle_distinct))
        if self._sentence.groups and self._sentence.having is None:
            entries.append(("having (a filter on totals) …", self._edit_having))
        menu_of(self, entries).popup(self._below())

    def _choose_joined(self) -> None:
        assert self._sentence is not None
        sentence, around = self._sentence, self._around
        ways = [
            (t.name, way)
            for t in around.catalog.tables
            for way in join_proposals(around.catalog, sentence.from_items, t.name)[:2]
        ]
        ways.sort(key=lambda found: not found[1].is_key)

        def join(name: str, way: object) -> None:
            self._change(f"Join {name}", with_table(sentence, name, way, around.dialect))  # type: ignore[arg-type]

        entries: list[tuple[str, object]] = []
        for number, (name, way) in enumerate(ways[:_MOST_TABLES]):
            if number and ways[number - 1][1].is_key and not way.is_key:
                entries.append(("", None))
            pair = ", ".join(new if new == old else f"{new} = {old}" for new, old in way.pairs)
            entries.append((f"{name}   by {pair} of {way.to}", lambda n=name, w=way: join(n, w)))
        message = "No table has a key or a column in common with those taken; write the join as SQL."
        menu_of(self, entries or [(message, None)]).popup(self.mapToGlobal(QPoint(20, self.height())))

    def _add_condition(self) -> None:
        assert self._sentence is not None
        added = self._ask_comparison(None)
        if added is not None:
            self._change("Add a condition", with_condition(self._sentence, added))


def _column_words(kept: tuple[SelectItem, ...] | list[SelectItem]) -> str:
    return short(", ".join(k.name or own_name(k.expression) for k in kept))
