"""The query as a sentence of words and chips: each chip opens what it represents, the last one adds a step."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QToolButton, QWidget

from northmoor.app.data.query.chip_row import ChipRow
from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.data.query.sentence_steps import ConditionPlace, SentenceSteps
from northmoor.app.data.query.sentence_text import by_words, comparison_words, join_words, own_name, short, value_words
from northmoor.app.language.translation import in_sentence, tr, tr_count
from northmoor.app.widgets.flow_layout import GLUED
from northmoor.app.widgets.widget_tools import mark_invalid
from northmoor.core.base.replace import replace
from northmoor.core.model.kinds.aggregates import TOTALS
from northmoor.core.model.parameters import Parameter
from northmoor.core.sources.builder.computed_forms import read_first_of_each
from northmoor.core.sources.builder.edits import is_sample
from northmoor.core.sources.builder.operands import OperandKind, kind_of_column
from northmoor.core.sources.builder.pivoting import PivotInSelect, read_pivots
from northmoor.core.sources.builder.select_model import (
    ClausePlaces,
    Comparison,
    Condition,
    OrderItem,
    SelectItem,
    SelectModel,
    SourceSpan,
)


class SentenceView(ChipRow):
    """Shows a sentence; a change is reported with what was done and the sentence it makes."""

    changed = pyqtSignal(str, object, object)
    """What was done, the sentence, and a parameter that the report gets for it, if any."""
    sql_wanted = pyqtSignal()
    rewrite_wanted = pyqtSignal(str, object)
    """What is to be done, and a function from the SQL and its dialect to the changed SQL."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._sentence: SelectModel | None = None
        self._around = SentenceContext()
        self._kinds: dict[str, OperandKind] = {}
        """How values of the sentence's columns are written."""
        self._places: dict[QToolButton, SourceSpan] = {}
        """The chips with the place of what each represents."""
        self.steps = SentenceSteps(self)

    @property
    def sentence(self) -> SelectModel | None:
        """The sentence that is shown."""
        return self._sentence

    @property
    def places(self) -> ClausePlaces | None:
        """Where in the SQL the clauses of the sentence are."""
        return self._sentence.places if self._sentence is not None else None

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
        self.add_word(tr("Take"))
        self._chip(
            tr("a table …"),
            "table-2",
            self.steps.choose_first,
            tr("Choose the table that the sentence begins with"),
            True,
        )

    def show_message(self, text: str) -> None:
        """Show why there is no sentence."""
        self._sentence = None
        self._clear()
        label = self.add_word(text)
        label.setWordWrap(True)
        label.setMinimumWidth(min(560, max(self.width() - 40, 200)))

    def mark_fault(self, position: int | None, message: str = "") -> None:
        """Mark the chip of the smallest piece of the SQL in which a character is; none for None."""
        for chip in self._places:
            mark_invalid(chip, False)
        if position is None:
            return
        around = [(end - start, chip) for chip, (start, end) in self._places.items() if start <= position < end]
        if around:
            chip = min(around, key=lambda found: found[0])[1]
            mark_invalid(chip, True)
            chip.setToolTip(message)

    def _clear(self) -> None:
        self._places = {}
        self.clear()

    # showing

    def _show_words(self, sentence: SelectModel) -> None:
        self._kinds = self._around.kinds(sentence)
        places = sentence.places.clauses
        for number, step in enumerate(sentence.steps):
            self.add_word(tr("First") if number == 0 else tr("then"))
            message = tr("A query of its own: {sql}").format(sql=short(step.sql))
            self._chip(step.name, "layers", partial(self.steps.step_menu, number), message, at=step.at)
        self.add_word(tr("take") if sentence.steps else tr("Take"))
        self._show_tables(sentence)
        if sentence.where is not None:
            self.add_word(tr("where"))
            self._show_condition(sentence.where, ConditionPlace("where"))
        self._show_columns(sentence)
        if sentence.having is not None:
            self.add_word(tr("having"))
            self._show_condition(sentence.having, ConditionPlace("having"))
        for text in sentence.others:
            self._chip(short(text), "braces", self.steps.show_in_sql, tr("A piece that is changed in the SQL"))
        for number, stacked in enumerate(sentence.stacked):
            self.add_word(_STACKING.get(stacked.words, stacked.words))
            message = tr("Another query with the same columns")
            self._chip(short(stacked.sql), "layers", partial(self.steps.stacked_menu, number), message, at=stacked.at)
        if sentence.sorting and not is_sample(sentence):
            self.add_word(tr("sorted by"))
            words = ", ".join(_order_words(item) for item in sentence.sorting)
            message, at = tr("Change the order"), places.get("order by")
            self._chip(short(words), "arrow-down-a-z", self.steps.edit_sorting, message, at=at)
        if sentence.distinct:
            self._chip(tr("distinct"), "x", self.steps.toggle_distinct, tr("Keep duplicate rows"))
        if sentence.offset:
            self.add_word(tr("without the first"))
            self._chip(value_words(sentence.offset), "list-ordered", self.steps.edit_first, tr("Change how many rows"))
        if sentence.first:
            begin = tr("only the first") if not sentence.offset else tr("and of the rest only the first")
            self.add_word(tr("only a random sample of") if is_sample(sentence) else begin)
            self._chip(value_words(sentence.first), "list-ordered", self.steps.edit_first, tr("Change how many rows"))
        self._chip(tr("step"), "plus", self.steps.add_menu, tr("Add a step to the sentence"), True)

    def _show_tables(self, sentence: SelectModel) -> None:
        for at, taken in enumerate(sentence.from_items):
            if at:
                is_another = at > 1 and sentence.from_items[at - 1].join == taken.join == "join"
                self.add_word(tr("and") if is_another else join_words(taken, self.around.dialect))
            name = f"{'(query)' if taken.is_query else taken.table}{f' {taken.alias}' if taken.alias else ''}"
            message = short(taken.table) if taken.is_query else tr("Change or remove the table")
            self._chip(short(name), "table-2", partial(self.steps.table_menu, at), message, at=taken.parts_at[1])
            if at and (taken.using or taken.on):
                self.add_word(tr("by"))
                message = tr("Change how it is joined")
                words = by_words(taken, self.around.dialect)
                self._chip(words, "link", partial(self.steps.edit_join, at), message, at=taken.parts_at[3])

    def _show_condition(self, condition: Condition, place: ConditionPlace) -> None:
        if isinstance(condition, Comparison):
            message = tr("Change the condition, or join another to it")
            menu = partial(self.steps.condition_menu, place)
            self._chip(self._condition_words(condition), "funnel", menu, message, at=condition.at)
            return
        if place.path:
            self.add_word("(")
        for number, part in enumerate(condition.parts):
            if number:
                turn = self._chip(
                    tr(condition.joining), "", lambda: self.steps.turn(place), tr("Click to turn and into or, and back")
                )
                turn.setObjectName("word-button")
            self._show_condition(part, replace(place, path=(*place.path, number)))
        if place.path:
            self.add_word(")").setProperty(GLUED, True)

    def _condition_words(self, condition: Comparison) -> str:
        first = read_first_of_each(self._sentence, condition, self.around.dialect) if self._sentence else None
        if first is None:
            return comparison_words(condition, kind_of_column(self._kinds, condition.left) or "text")
        names = {
            "count": value_words(first.count),
            "within": own_name(first.within),
            "order": _order_words(first.order),
        }
        return short(tr("the first {count} of each {within} by {order}").format(**names))

    def _show_columns(self, sentence: SelectModel) -> None:
        places = sentence.places.clauses
        grouped = {item.expression for item in sentence.groups}
        by_number = {n for n in range(len(sentence.select_items)) if str(n + 1) in grouped}
        groups = [k for n, k in enumerate(sentence.select_items) if n in by_number or {k.expression, k.name} & grouped]
        pivots = read_pivots(sentence, self.around.dialect)
        of_pivots = {at for each in pivots for at in range(each.first, each.end)}
        others = [kept for at, kept in enumerate(sentence.select_items) if at not in of_pivots and kept not in groups]
        edit = self.steps.edit_columns
        if sentence.groups or pivots or any("(" in kept.expression for kept in others):
            self.add_word(tr("total") if sentence.groups else tr("keep"))
            if others or not pivots:
                self._chip(_column_words(others), "sigma", edit, tr("Change columns and totals"), at=places["select"])
            for number, each in enumerate(pivots):
                if number or others:
                    self.add_word(tr("and"))
                self._show_pivot(sentence, number, each)
            if sentence.groups:
                self.add_word(tr("for each"))
                at = places.get("group by")
                self._chip(_column_words(groups), "layers", edit, tr("Change columns and totals"), at=at)
            return
        self.add_word(tr("keep"))
        everything = sentence.select_items == (SelectItem("*"),)
        count = len(sentence.select_items)
        text = tr("all columns") if everything else tr_count(count, "{count} column", "{count} columns")
        message = tr("Choose columns, compute and total: ") + _column_words(sentence.select_items)
        self._chip(text, "columns-3", edit, message, at=places["select"])

    def _show_pivot(self, sentence: SelectModel, number: int, present: PivotInSelect) -> None:
        pivot = present.pivot
        total = in_sentence(tr(TOTALS[pivot.total]))
        names = {"total": total, "value": own_name(pivot.value), "across": own_name(pivot.across)}
        words = short(tr("{total} of {value} by {across}").format(**names))
        columns = sentence.select_items[present.first : present.end]
        message = tr("Change which values are columns: {columns}").format(columns=_column_words(columns))
        begin, end = columns[0].at, columns[-1].at
        at = (begin[0], end[1]) if begin is not None and end is not None else None
        self._chip(words, "columns-3", partial(self.steps.edit_pivot, number), message, at=at)

    def _chip(
        self,
        text: str,
        drawing: str,
        run: Callable[[], object],
        message: str,
        is_new: bool = False,
        at: SourceSpan | None = None,
    ) -> QToolButton:
        chip = self.add_chip(text, drawing, run, message, is_new)
        if at is not None:
            self._places[chip] = at
        return chip

    # for the steps

    def report_change(self, label: str, sentence: SelectModel, parameter: Parameter | None = None) -> None:
        """Report a changed sentence, if it is another, and a parameter that it needs."""
        if sentence != self._sentence:
            self.changed.emit(label, sentence, parameter)


_STACKING = {
    "union all": tr("and all rows of"),
    "union": tr("and the other rows of"),
    "intersect": tr("only those also in"),
    "except": tr("without those in"),
}


def _order_words(item: OrderItem) -> str:
    nulls = tr(" (blanks {where})").format(where=tr(item.nulls)) if item.nulls else ""
    return f"{own_name(item.expression)}{' ↓' * item.descending}{nulls}"


def _column_words(kept: tuple[SelectItem, ...] | list[SelectItem]) -> str:
    return short(", ".join(k.name or own_name(k.expression) for k in kept))
