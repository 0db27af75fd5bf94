"""What the chips of a sentence open, and the steps that can be added to it."""

from functools import partial
from typing import TYPE_CHECKING, Any, Literal

from msgspec import Struct
from PyQt6.QtWidgets import QDialog, QInputDialog, QWidget

from northmoor.app.data.query.dialogs.compute_dialog import ComputeDialog
from northmoor.app.data.query.dialogs.condition_dialog import AskedCondition, ConditionDialog, ConditionScope
from northmoor.app.data.query.dialogs.join_dialog import JoinDialog
from northmoor.app.data.query.dialogs.pivot_dialogs import PivotDialog, UnpivotDialog
from northmoor.app.data.query.dialogs.relations_dialog import RelationsDialog
from northmoor.app.data.query.dialogs.sentence_dialogs import (
    ColumnsDialog,
    FirstOfEachDialog,
    FirstRowsDialog,
    SortingDialog,
    StackDialog,
)
from northmoor.app.data.query.dialogs.table_picker import TableDialog
from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.data.query.sentence_text import own_name, short
from northmoor.app.language.translation import tr
from northmoor.app.widgets.menus import MenuEntries, menu_of
from northmoor.core.base.replace import replace
from northmoor.core.model.parameters import Parameter
from northmoor.core.sources.builder.asides import values_sql
from northmoor.core.sources.builder.computed_forms import FirstOfEach, read_first_of_each, with_first_of_each
from northmoor.core.sources.builder.computing import first_of_each
from northmoor.core.sources.builder.edits import (
    ConditionPath,
    add_operand,
    change_condition,
    condition_at,
    is_sample,
    item_name,
    project,
    random_order,
    select_all,
    toggle_connective,
    with_condition,
    with_total_condition,
    without_table,
)
from northmoor.core.sources.builder.pivoting import read_pivots, unpivot
from northmoor.core.sources.builder.select_model import Comparison, Condition, SelectItem, SelectModel
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.builder.select_writer import wrap_select

if TYPE_CHECKING:
    from northmoor.app.data.query.sentence_view import SentenceView


class ConditionPlace(Struct, frozen=True):
    """Where a condition is: in `where` or in `having`, and its place among the conditions there."""

    clause: Literal["where", "having"]
    path: ConditionPath = ()

    def condition(self, sentence: SelectModel) -> Condition | None:
        """The whole condition of the clause."""
        return sentence.where if self.clause == "where" else sentence.having

    def changed(self, sentence: SelectModel, condition: Condition | None) -> SelectModel:
        """The sentence with another condition in the clause."""
        return replace(sentence, where=condition) if self.clause == "where" else replace(sentence, having=condition)


class SentenceSteps:
    """Menus and dialogs of a sentence; each reports the sentence that it makes."""

    def __init__(self, view: "SentenceView") -> None:
        self._view = view

    @property
    def _sentence(self) -> SelectModel:
        found = self._view.sentence
        assert found is not None
        return found

    def _open(self, entries: MenuEntries) -> None:
        """Open a menu; its entries are of the sentence as it is now, and do nothing where that changes below it."""
        shown = self._view.sentence
        own: MenuEntries = [
            (text, partial(self._run_of, shown, run) if run is not None else None) for text, run in entries
        ]
        menu_of(self._view, own).popup(self._view.below_chip(self._view.sender()))

    def _run_of(self, shown: SelectModel | None, run: Any) -> None:
        if self._view.sentence == shown:
            run()

    def _accepted(self, dialog: QDialog) -> bool:
        """Whether the dialog was accepted, for the sentence that it was opened for."""
        before = self._view.sentence
        return dialog.exec() == QDialog.DialogCode.Accepted and self._view.sentence == before

    def show_in_sql(self) -> None:
        """Go on in the SQL, for what has no words."""
        self._view.sql_wanted.emit()

    # tables and joins

    def choose_first(self) -> None:
        """Ask for the table that a sentence begins with."""
        around = self._view.around
        dialog = TableDialog(around, self._view)
        table = dialog.table() if self._accepted(dialog) else None
        if table is not None:
            self._view.changed.emit(tr("Take {name}").format(name=table.name), select_all(table, around.dialect), None)

    def table_menu(self, at: int) -> None:
        """What can be done with a table of the sentence."""
        sentence = self._sentence
        taken = sentence.from_items[at]
        entries: MenuEntries = [
            (tr("{table}, known as {name}").format(table=short(taken.table), name=taken.known_as), None),
            ("", None),
        ]
        if not taken.is_query:
            entries.append((tr("Its relations …"), lambda: self.show_relations(taken.table)))
        if at:
            entries.append((tr("How it is joined …"), lambda: self.edit_join(at)))
            gone = tr("Remove {name}").format(name=taken.known_as)
            entries.append((tr("Remove"), lambda: self._view.report_change(gone, without_table(sentence, at))))
        else:
            entries.append((tr("The first table stays; the others join it"), None))
        self._open(entries)

    def edit_join(self, at: int) -> None:
        """Ask how a table is joined."""
        self._ask_join(at)

    def add_join(self) -> None:
        """Ask which other table is joined, and how."""
        self._ask_join(None)

    def show_relations(self, table: str) -> None:
        """Show what a table is related to, and join one of these if that is wanted."""
        catalog = self._view.around.catalog
        found = catalog.table(table)
        dialog = RelationsDialog(catalog, found.name if found is not None else table, self._view)
        if self._accepted(dialog):
            self._ask_join(None, dialog.table)

    def _ask_join(self, at: int | None, table: str = "") -> None:
        taken = self._sentence.from_items[at] if at is not None else None
        dialog = JoinDialog(self._sentence, self._view.around, taken, self._view)
        if dialog.picker is not None and table:
            dialog.picker.choose(table)
        if self._accepted(dialog):
            new = dialog.new()
            label = (
                tr("Join {name}").format(name=new.known_as) if at is None and new is not None else tr("Change the join")
            )
            self._view.report_change(label, dialog.sentence())

    # conditions

    def condition_menu(self, place: ConditionPlace) -> None:
        """What can be done with a condition."""
        whole = place.condition(self._sentence)
        found = condition_at(whole, place.path)
        assert isinstance(found, Comparison)
        first = read_first_of_each(self._sentence, found, self._view.around.dialect)
        change = (tr("Change …"), lambda: self._change_condition(place, found))
        if first is not None:
            change = (tr("Change …"), lambda: self._change_first_of_each(place, found, first))
        entries: MenuEntries = [
            change,
            (tr("And another …"), lambda: self._add_operand(place, "and")),
            (tr("Or another …"), lambda: self._add_operand(place, "or")),
            ("", None),
            (tr("Remove"), lambda: self._put(place, change_condition(whole, place.path, None))),
        ]
        self._open(entries)

    def _put(self, place: ConditionPlace, condition: Condition | None, parameter: Parameter | None = None) -> None:
        label = tr("Change the condition") if place.clause == "where" else tr("Change the condition on totals")
        self._view.report_change(label, place.changed(self._sentence, condition), parameter)

    def _change_condition(self, place: ConditionPlace, found: Comparison) -> None:
        asked = self._ask_condition(place, found)
        if asked is not None:
            changed = change_condition(place.condition(self._sentence), place.path, asked.condition)
            self._put(place, changed, asked.parameter)

    def _change_first_of_each(self, place: ConditionPlace, found: Comparison, present: FirstOfEach) -> None:
        """Ask again which rows of each group are kept."""
        sentence, around = self._sentence, self._view.around
        inner = parse_select(sentence.steps[present.step].sql, around.dialect)
        assert inner is not None  # it has been read
        others = tuple(item for at, item in enumerate(inner.select_items) if at != present.item)
        dialog = FirstOfEachDialog(_columns_of_groups(replace(inner, select_items=others), around), self._view)
        dialog.read(present.within, present.order, present.count)
        if not self._accepted(dialog):
            return
        within, order, count = dialog.chosen()
        wanted = replace(present, within=within, order=order, count=count)
        numbered = with_first_of_each(sentence, present, wanted, around.dialect)
        kept = change_condition(place.condition(sentence), place.path, replace(found, right=(count,)))
        self._view.report_change(tr("Change the first rows of each"), place.changed(numbered, kept))

    def _add_operand(self, place: ConditionPlace, joining: Literal["and", "or"]) -> None:
        asked = self._ask_condition(place, None)
        if asked is not None:
            changed = add_operand(place.condition(self._sentence), place.path, asked.condition, joining)
            self._put(place, changed, asked.parameter)

    def turn(self, place: ConditionPlace) -> None:
        """Turn and into or, and back."""
        self._put(place, toggle_connective(place.condition(self._sentence), place.path))

    def _ask_condition(self, place: ConditionPlace, comparison: Comparison | None) -> AskedCondition | None:
        sentence, around = self._sentence, self._view.around
        is_where = place.clause == "where"
        columns = around.kinds(sentence) if is_where else {k.expression: "number" for k in sentence.select_items}
        scope = ConditionScope(
            around.dialect,
            columns,  # type: ignore[arg-type]  # number is a kind of operand
            around.parameters,
            around.ask if is_where else None,
            lambda expression: values_sql(sentence, expression),
        )
        dialog = ConditionDialog(scope, comparison, self._view)
        return dialog.asked() if self._accepted(dialog) else None

    def add_condition(self) -> None:
        """Ask for another condition on rows."""
        added = self._ask_condition(ConditionPlace("where"), None)
        if added is not None:
            sentence = with_condition(self._sentence, added.condition)
            self._view.report_change(tr("Add a condition"), sentence, added.parameter)

    def add_total_condition(self) -> None:
        """Ask for another condition on totals."""
        added = self._ask_condition(ConditionPlace("having"), None)
        if added is not None:
            sentence = with_total_condition(self._sentence, added.condition)
            self._view.report_change(tr("Add a condition on totals"), sentence, added.parameter)

    # columns, order, amount

    def edit_columns(self) -> None:
        """Ask which columns are kept."""
        sentence, around = self._sentence, self._view.around

        def compute(parent: QWidget, edited: SelectItem | None) -> SelectItem | None:
            asked = ComputeDialog(sentence, around, parent, edited)
            return asked.item() if self._accepted(asked) else None

        dialog = ColumnsDialog(around.columns(sentence), sentence.select_items, self._view, compute)
        if self._accepted(dialog):
            self._view.report_change(tr("Choose columns"), project(sentence, dialog.select_items(), around.dialect))

    def add_computed(self) -> None:
        """Ask for a computed column, and add it."""
        sentence, around = self._sentence, self._view.around
        dialog = ComputeDialog(sentence, around, self._view)
        if self._accepted(dialog):
            items = (*sentence.select_items, dialog.item())
            self._view.report_change(tr("Compute a column"), project(sentence, items, around.dialect))

    def edit_computed(self, at: int) -> None:
        """Ask how a column is computed that is kept."""
        sentence, around = self._sentence, self._view.around
        items = sentence.select_items
        dialog = ComputeDialog(sentence, around, self._view, items[at])
        if self._accepted(dialog):
            label = tr("Change how {column} is computed").format(column=short(item_name(items[at])))
            changed = (*items[:at], dialog.item(), *items[at + 1 :])
            self._view.report_change(label, project(sentence, changed, around.dialect))

    def take_first_of_each(self) -> None:
        """Ask for the first rows of each value of a column."""
        dialog = FirstOfEachDialog(_columns_of_groups(self._sentence, self._view.around), self._view)
        if self._accepted(dialog):
            within, order, count = dialog.chosen()
            self._view.rewrite_wanted.emit(
                tr("Take the first rows of each"),
                lambda sql, dialect: first_of_each(sql, dialect, within, order, count, "numbered"),
            )

    def turn_into_columns(self) -> None:
        """Ask whose values become columns."""
        dialog = PivotDialog(self._sentence, self._view.around, self._view)
        if self._accepted(dialog):
            self._view.report_change(tr("Make columns of values"), dialog.sentence())

    def edit_pivot(self, at: int) -> None:
        """Ask which values become columns in one of the pivots that there are."""
        sentence, around = self._sentence, self._view.around
        present = read_pivots(sentence, around.dialect)[at]
        dialog = PivotDialog(sentence, around, self._view, present)
        if self._accepted(dialog):
            label = tr("Change the columns for {column}").format(column=short(own_name(present.pivot.across)))
            self._view.report_change(label, dialog.sentence())

    def turn_into_rows(self) -> None:
        """Ask which columns become rows."""
        items = [item for item in self._sentence.select_items if item.expression != "*"]
        dialog = UnpivotDialog([item_name(item) for item in items], self._view)
        if self._accepted(dialog):
            columns, name, value = dialog.chosen(), dialog.name.text().strip(), dialog.value.text().strip()
            self._view.rewrite_wanted.emit(
                tr("Make rows of columns"), lambda sql, dialect: unpivot(sql, dialect, columns, name, value)
            )

    def edit_sorting(self) -> None:
        """Ask by what rows are sorted."""
        sentence = self._sentence
        names = [kept.name or kept.expression for kept in sentence.select_items if kept.expression != "*"]
        more = () if sentence.groups or sentence.stacked else self._view.around.columns(sentence)
        choices, has_nulls = list(dict.fromkeys([*names, *more])), self._view.around.dialect != "mysql"
        dialog = SortingDialog(choices, sentence.sorting, self._view, has_nulls)
        if self._accepted(dialog):
            self._view.report_change(tr("Change the order"), replace(sentence, sorting=dialog.order_items()))

    def edit_first(self) -> None:
        """Ask how many rows are kept, and how many before them are left out."""
        sentence = self._sentence
        was_sample, around = is_sample(sentence), self._view.around
        dialog = FirstRowsDialog(sentence.first, sentence.offset, was_sample, around.parameters, self._view)
        if self._accepted(dialog):
            first, offset = dialog.amounts()
            sorting = sentence.sorting
            if dialog.is_sample and first:
                sorting = sorting if was_sample else random_order(around.dialect)
            elif was_sample:
                sorting = ()
            changed = replace(sentence, first=first, offset=offset, sorting=sorting)
            self._view.report_change(tr("Change how many rows"), changed)

    def toggle_distinct(self) -> None:
        """Keep each row once, or all."""
        self._view.report_change(tr("Change duplicates"), replace(self._sentence, distinct=not self._sentence.distinct))

    # other queries

    def step_menu(self, number: int) -> None:
        """What can be done with a named step."""
        sentence = self._sentence
        step = sentence.steps[number]
        is_used = any(step.name.split("(")[0].strip() in text for text in _mentions(sentence, number))
        entries: MenuEntries = [
            (tr("Change its SQL …"), lambda: self._change_step(number)),
            ("", None),
            (
                tr("Remove") if not is_used else tr("It is used further on; remove that first"),
                None if is_used else lambda: self._remove_step(number),
            ),
        ]
        self._open(entries)

    def _remove_step(self, number: int) -> None:
        sentence = self._sentence
        self._view.report_change(
            tr("Remove {name}").format(name=sentence.steps[number].name), _without_step(sentence, number)
        )

    def _change_step(self, number: int) -> None:
        sentence = self._sentence
        step = sentence.steps[number]
        text, is_given = QInputDialog.getMultiLineText(
            self._view, tr("The query {name}").format(name=step.name), tr("SQL"), step.sql
        )
        if is_given:
            steps = (*sentence.steps[:number], replace(step, sql=text), *sentence.steps[number + 1 :])
            self._view.report_change(tr("Change {name}").format(name=step.name), replace(sentence, steps=steps))

    def stacked_menu(self, number: int) -> None:
        """What can be done with a query whose rows are added."""
        self._open(
            [
                (tr("Change …"), lambda: self._ask_stacked(number)),
                (tr("Remove"), lambda: self._put_stacked(number, ())),
            ]
        )

    def _put_stacked(self, number: int, put: tuple[object, ...]) -> None:
        stacked = self._sentence.stacked
        changed = (*stacked[:number], *put, *stacked[number + 1 :])
        self._view.report_change(tr("Change the added rows"), replace(self._sentence, stacked=changed))

    def add_stacked(self) -> None:
        """Ask for another query whose rows are added."""
        self._ask_stacked(len(self._sentence.stacked))

    def _ask_stacked(self, number: int) -> None:
        sentence = self._sentence
        given = sentence.stacked[number] if number < len(sentence.stacked) else None
        dialog = StackDialog(sentence, self._view.around, given, self._view)
        if self._accepted(dialog):
            self._put_stacked(number, (dialog.stacked(),))

    # the menu of steps

    def add_menu(self) -> None:
        """Offer the steps that can be added."""
        sentence = self._sentence
        entries: MenuEntries = [
            (tr("join another table …"), self.add_join),
            (tr("where …"), self.add_condition),
            (tr("keep or total columns …"), self.edit_columns),
            (tr("compute a column …"), self.add_computed),
            (tr("sorted by …"), self.edit_sorting),
            (tr("limit to the first rows, or a sample …"), self.edit_first),
            (tr("the first rows of each …"), self.take_first_of_each),
            (tr("a column for each value …"), self.turn_into_columns),
            (tr("a row for each column …"), self.turn_into_rows if len(sentence.select_items) > 1 else None),
        ]
        if not sentence.distinct:
            entries.append(("distinct", self.toggle_distinct))
        if sentence.groups:
            entries.append((tr("having (a filter on totals) …"), self.add_total_condition))
        entries.append((tr("add the rows of another table or query …"), self.add_stacked))
        entries.append((tr("use the result as a table"), self.go_on))
        self._open(entries)

    def go_on(self) -> None:
        """Make the sentence so far a named step, and begin a new one on its rows."""
        name, is_given = QInputDialog.getText(
            self._view, tr("Use the result as a table"), tr("Name of the result so far"), text="result"
        )
        if is_given and name.strip():
            self._view.rewrite_wanted.emit(
                tr("Use {name} as a table").format(name=name.strip()),
                lambda sql, dialect: wrap_select(sql, name.strip(), dialect),
            )


def _mentions(sentence: SelectModel, number: int) -> list[str]:
    """Texts that may use a named step: later steps, tables and added queries."""
    return [
        *(step.sql for step in sentence.steps[number + 1 :]),
        *(taken.table for taken in sentence.from_items),
        *(stacked.sql for stacked in sentence.stacked),
    ]


def _without_step(sentence: SelectModel, number: int) -> SelectModel:
    return replace(sentence, steps=(*sentence.steps[:number], *sentence.steps[number + 1 :]))


def _columns_of_groups(sentence: SelectModel, around: SentenceContext) -> list[str]:
    """The columns by which rows can be grouped and ordered: those that are kept and, where no rows are totalled, those
    of the tables."""
    own = [kept.expression for kept in sentence.select_items if kept.expression != "*"]
    return own if sentence.groups else list(dict.fromkeys([*own, *around.columns(sentence)]))
