"""31 questions that analysts ask of the demo, each equal to straight SQL: 29 by choosing alone; in two an expression or the
conditions of cases are typed. The number is of actions: what is clicked, ticked, chosen and typed."""

import sqlite3
from collections.abc import Callable
from contextlib import suppress
from datetime import date, datetime
from decimal import Decimal
from functools import partial
from typing import Any

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QInputDialog, QLineEdit, QListWidget, QListWidgetItem
from pytestqt.qtbot import QtBot

from northmoor.app.data.query.dialogs.compute_dialog import ComputeDialog
from northmoor.app.data.query.dialogs.condition_dialog import ConditionDialog
from northmoor.app.data.query.dialogs.join_dialog import JoinDialog
from northmoor.app.data.query.dialogs.pivot_dialogs import PivotDialog, UnpivotDialog
from northmoor.app.data.query.dialogs.sentence_dialogs import (
    ColumnsDialog,
    FirstOfEachDialog,
    FirstRowsDialog,
    SortingDialog,
    StackDialog,
)
from northmoor.app.data.query.dialogs.table_picker import TableDialog
from northmoor.app.window import Window
from northmoor.core.model.data.queries import Query
from tests.app.test_data import chips, choose, click_chip, in_dialog

pytestmark = pytest.mark.slow


class Asking:
    """Builds a query in the Data workspace as a user does; `actions` counts what is chosen, clicked and typed."""

    def __init__(self, window: Window, qtbot: QtBot) -> None:
        self.window, self.qtbot, self.actions = window, qtbot, 0
        window.show_workspace("data")
        window.data.queries.add(Query(name="question", connection="tarrow"))
        qtbot.waitUntil(lambda: chips(window.data) == ["a table …"], timeout=10_000)
        qtbot.waitUntil(lambda: "tarrow" in window.data.known_catalogs, timeout=10_000)

    def put(self, field: QComboBox | QLineEdit | QCheckBox, value: Any) -> None:
        """Choose or type a value, unless it is there."""
        if isinstance(field, QCheckBox):
            changed, put = field.isChecked() != value, field.setChecked
        elif isinstance(field, QLineEdit):
            changed, put = field.text() != value, field.setText
        elif field.isEditable():
            offered = [field.itemText(n) for n in range(field.count())]
            value = next((each for each in offered if each == value or each.endswith(f".{value}")), value)
            changed, put = field.currentText() != value, field.setCurrentText
        else:
            at = field.findData(value)
            changed, value, put = field.currentIndex() != at, at, field.setCurrentIndex
            assert at >= 0
        self.actions += changed
        put(value)

    def step(self, entry: str, kind: type[Any], fill: Callable[[Any], None]) -> "Asking":
        """Choose a step and fill in its dialog."""
        before = self.window.data.editor.text()

        def filled(dialog: Any) -> None:
            try:
                fill(dialog)
                self.actions += 1
                dialog.accept()
                assert not dialog.isVisible(), dialog.fault.text()
            finally:
                dialog.close()  # what went wrong is not waited for

        in_dialog(kind, filled)
        click_chip(self.window.data, self.qtbot, "step" if entry != "a table" else "a table")
        self.actions += 1
        if entry != "a table":
            choose(self.qtbot, entry)
            self.actions += 1
        self.qtbot.waitUntil(lambda: self.window.data.editor.text() != before, timeout=10_000)
        return self

    def take(self, table: str) -> "Asking":
        return self.step("a table", TableDialog, lambda dialog: self.put(dialog.picker.search, table))

    def join(self, table: str, kind: str = "join", way: int = 0) -> "Asking":
        """Join a table in one of the ways that are proposed."""

        def fill(dialog: JoinDialog) -> None:
            self.put(dialog.picker.search, table)
            self.put(dialog.kind, kind)
            if way:
                dialog.ways.activated.emit(way)
                self.actions += 1

        return self.step("join another table", JoinDialog, fill)

    def where(self, column: str, operator: str, *values: str, entry: str = "where") -> "Asking":
        def fill(dialog: ConditionDialog) -> None:
            self.put(dialog.left, column)
            self.put(dialog.operator, operator)
            if operator in ("in", "not in"):
                dialog.list.lines.setPlainText("\n".join(values))
                self.actions += len(values)
            else:
                for editor, value in zip((dialog.first, dialog.second), values, strict=False):
                    self.put(editor.value, value)

        return self.step(entry, ConditionDialog, fill)

    def keep(self, *columns: str, **totals: str) -> "Asking":
        """Columns as they are, and totals as ``column="sum name"``, dots written as two underscores."""
        wanted = {**dict.fromkeys(columns, ""), **{name.replace("__", "."): total for name, total in totals.items()}}

        def fill(dialog: ColumnsDialog) -> None:
            count = range(dialog.table.rowCount())
            listed = [(dialog.table.item(row, 0).text(), dialog.table.item(row, 1).text()) for row in count]

            def row_of(name: str) -> int:
                return next(n for n, names in enumerate(listed) if name in names or names[0].endswith(f".{name}"))

            wanted_rows = {row_of(name): total for name, total in wanted.items()}
            for row in range(dialog.table.rowCount()):
                state = Qt.CheckState.Checked if row in wanted_rows else Qt.CheckState.Unchecked
                self.actions += dialog.table.item(row, 0).checkState() != state
                dialog.table.item(row, 0).setCheckState(state)
                total, _, name = wanted_rows.get(row, "").partition(" ")
                if total:
                    self.put(dialog.table.cellWidget(row, 2), total)
                if name:
                    dialog.table.item(row, 1).setText(name)
                    self.actions += 1

        return self.step("keep or total columns", ColumnsDialog, fill)

    def compute(self, kind: int, name: str, **fields: Any) -> "Asking":
        def fill(dialog: ComputeDialog) -> None:
            dialog.kind.setCurrentIndex(kind)
            for field, value in fields.items():
                if field == "cases":
                    for row, pair in enumerate(value):
                        for column, text in enumerate(pair):
                            dialog.cases.model().setData(dialog.cases.model().index(row, column), text)
                            self.actions += 1
                elif field == "expression":
                    dialog.expression.setPlainText(value)
                    self.actions += 1
                else:
                    self.put(getattr(dialog, field), value)
            self.put(dialog.name, name)
            self.actions += kind != 0

        return self.step("compute a column", ComputeDialog, fill)

    def sort(self, *columns: str) -> "Asking":
        """By columns; one with a minus before it the last first."""

        def fill(dialog: SortingDialog) -> None:
            for column in columns:
                self.put(dialog.choice, column.lstrip("-"))
                dialog._add()
                self.actions += 1
                if column.startswith("-"):
                    dialog._turn()
                    self.actions += 1

        return self.step("sorted by", SortingDialog, fill)

    def first(self, count: str, offset: str = "") -> "Asking":
        def fill(dialog: FirstRowsDialog) -> None:
            self.put(dialog.first, count)
            self.put(dialog.offset, offset)

        return self.step("limit to the first rows", FirstRowsDialog, fill)

    def first_of_each(self, count: str, within: str, order: str) -> "Asking":
        def fill(dialog: FirstOfEachDialog) -> None:
            self.put(dialog.count, count)
            self.put(dialog.within, within)
            self.put(dialog.order, order)

        return self.step("the first rows of each", FirstOfEachDialog, fill)

    def across(self, column: str, total: str, value: str, has_whole: bool = False) -> "Asking":
        def fill(dialog: PivotDialog) -> None:
            self.put(dialog.across, column)
            dialog.across.activated.emit(dialog.across.currentIndex())
            self.put(dialog.total, total)
            self.put(dialog.value, value)
            self.put(dialog.has_whole, has_whole)
            self.qtbot.waitUntil(lambda: dialog.values.count() > 0, timeout=10_000)

        return self.step("a column for each value", PivotDialog, fill)

    def rows_of(self, *columns: str, name: str, value: str) -> "Asking":
        def fill(dialog: UnpivotDialog) -> None:
            listed: QListWidget = dialog.list
            items: list[QListWidgetItem] = [listed.item(n) for n in range(listed.count())]  # type: ignore[misc]
            for item in items:
                if item.text() in columns:
                    item.setCheckState(Qt.CheckState.Checked)
                    self.actions += 1
            self.put(dialog.name, name)
            self.put(dialog.value, value)

        return self.step("a row for each column", UnpivotDialog, fill)

    def stack(self, table: str, words: str = "union all", **columns: str) -> "Asking":
        def fill(dialog: StackDialog) -> None:
            self.put(dialog.words, words)
            dialog.table.setCurrentText(table)
            self.actions += 1
            for own, theirs in columns.items():
                box = dialog.columns[dialog._names.index(own)]
                box.setCurrentText(theirs)
                box.activated.emit(box.currentIndex())
                self.actions += 1

        return self.step("add the rows of another table", StackDialog, fill)

    def as_table(self, name: str) -> "Asking":
        self.actions += 1
        return self.step("use the result as a table", QInputDialog, lambda dialog: dialog.setTextValue(name))

    def distinct(self) -> "Asking":
        click_chip(self.window.data, self.qtbot, "step")
        choose(self.qtbot, "distinct")
        self.actions += 2
        return self


EXPRESSION, CASES, BINS, DATE, TEXT, FIGURE = range(6)
Question = tuple[str, Callable[[Asking], Asking], str, int]
QUESTIONS: list[Question] = [
    ("cancelled sailings by route",
     lambda q: q.take("sailings").join("routes").where("sailings.status", "=", "cancelled")
     .keep("routes.code", sailings__sailing_id="count n"),
     "select count(*), code from sailings join routes using (route_id) where status = 'cancelled' group by code", 23),
    ("the five vessels that are latest on average",
     lambda q: q.take("sailings").join("vessels").keep("vessels.name", sailings__delay_minutes="avg late").sort("-late").first("5"),
     "select avg(delay_minutes) a, name from sailings join vessels using (vessel_id) group by name order by a desc limit 5", 28),
    ("paid revenue by month",
     lambda q: q.take("bookings").where("status", "=", "paid").compute(DATE, "month", moment="booked_at", part="month")
     .compute(EXPRESSION, "revenue", expression="quantity * unit_price").keep("month", revenue="sum"),
     "select date(booked_at, 'start of month'), sum(quantity * unit_price) from bookings where status = 'paid' group by 1", 31),
    ("tickets by category",
     lambda q: q.take("bookings").join("fares").keep("fares.category", bookings__quantity="sum tickets").sort("-tickets"),
     "select sum(quantity), category from bookings join fares using (fare_id) group by 2 order by 1 desc", 25),
    ("cost centres without entries",
     lambda q: q.take("cost_centres").join("ledger_entries", "none").keep("name"),
     "select name from cost_centres where centre_id not in (select centre_id from ledger_entries)", 14),
    ("routes that carried freight in October 2025",
     lambda q: q.take("waybills").where("shipped_on", "between", "2025-10-01", "2025-10-31").join("routes")
     .keep("routes.code").distinct(),
     "select distinct code from waybills join routes using (route_id) where shipped_on between '2025-10-01' and '2025-10-31'", 26),
    ("the latest sailing of each vessel",
     lambda q: q.take("sailings").join("vessels").keep("vessels.name", "sailings.departs_at")
     .first_of_each("1", "vessels.name", "sailings.departs_at"),
     "select max(departs_at), name from sailings join vessels using (vessel_id) group by name", 21),
    ("the two dearest fares of each route",
     lambda q: q.take("fares").first_of_each("2", "route_id", "price").keep("route_id", "category", "price"),
     "select route_id, category, price from (select *, row_number() over (partition by route_id order by price desc) n from fares) where n <= 2", 13),
    ("the share of each category in what was sold",
     lambda q: q.take("bookings").join("fares").keep("fares.category", bookings__quantity="sum tickets").as_table("sold")
     .compute(FIGURE, "share", window_form="share", value="tickets"),
     "select sum(quantity), category, sum(quantity) * 1.0 / (select sum(quantity) from bookings) from bookings join fares using (fare_id) group by 2", 30),
    ("the running balance of a cost centre",
     lambda q: q.take("ledger_entries").where("centre_id", "=", "6").keep("entry_id", "booked_on", "amount")
     .compute(FIGURE, "balance", window_form="running", value="amount", order="entry_id"),
     "select entry_id, booked_on, amount, sum(amount) over (order by entry_id) from ledger_entries where centre_id = 6", 20),
    ("the change from one waybill line to the next",
     lambda q: q.take("waybill_lines").where("waybill_id", "<=", "40").keep("line_id", "waybill_id", "charge")
     .compute(FIGURE, "change", window_form="difference", value="charge", within="waybill_id", order="line_id"),
     "select line_id, waybill_id, charge, charge - lag(charge) over (partition by waybill_id order by line_id) from waybill_lines where waybill_id <= 40", 27),
    ("routes ranked by sailings",
     lambda q: q.take("sailings").join("routes").keep("routes.code", sailings__sailing_id="count n").as_table("counted")
     .compute(FIGURE, "place", window_form="rank", value="n"),
     "select n, code, rank() over (order by n desc) from (select code, count(*) n from sailings join routes using (route_id) group by 1)", 29),
    ("sailings by length of delay",
     lambda q: q.take("sailings").compute(BINS, "minutes", binned="delay_minutes", width_of_bins="15").keep("minutes", sailing_id="count"),
     "select count(*), delay_minutes / 15 * 15 from sailings group by 2", 19),
    ("sailings on time and late",
     lambda q: q.take("sailings").compute(CASES, "how", cases=[("delay_minutes > 15", "'late'"), ("delay_minutes is not null", "'on time'")], otherwise="'unknown'")
     .keep("how", sailing_id="count"),
     "select count(*), case when delay_minutes > 15 then 'late' when delay_minutes is not null then 'on time' else 'unknown' end from sailings group by 2", 22),
    ("numbers of cost centres that no entry has",
     lambda q: q.take("cost_centres").keep("centre_id").stack("ledger_entries", "except"),
     "select centre_id from cost_centres where centre_id not in (select centre_id from ledger_entries)", 14),
    ("shippers charged more than 20,000",
     lambda q: q.take("waybill_lines").join("waybills").join("shippers").keep("shippers.name", waybill_lines__charge="sum")
     .where("sum(waybill_lines.charge)", ">", "20000", entry="having"),
     "select sum(charge), name from waybill_lines join waybills using (waybill_id) join shippers using (shipper_id) group by name having sum(charge) > 20000", 30),
    ("what goods are carried",
     lambda q: q.take("waybill_lines").keep("goods").distinct().sort("goods"),
     "select distinct goods from waybill_lines order by goods", 21),
    ("names of ports and vessels in one list",
     lambda q: q.take("ports").keep("name").stack("vessels"),
     "select name from ports union all select name from vessels", 13),
    ("sailings of each route by status",
     lambda q: q.take("sailings").join("routes").keep("routes.code", "sailings.status", "sailings.sailing_id")
     .across("sailings.status", "count", "sailings.sailing_id", True),
     "select code, count(case when status = 'cancelled' then 1 end), count(case when status = 'sailed' then 1 end), count(*) from sailings join routes using (route_id) group by 1", 22),
    ("sailings of two routes by length of delay",
     lambda q: q.take("sailings").where("sailings.route_id", "in", "1", "2").compute(BINS, "minutes", binned="delay_minutes", width_of_bins="30")
     .as_table("binned").keep("route_id", "minutes", "sailing_id").across("minutes", "count", "sailing_id"),
     "select route_id, sum(delay_minutes / 30 = 0), sum(delay_minutes / 30 = 1), sum(delay_minutes is null) from sailings where route_id in (1, 2) group by 1", 34),
    ("capacities as rows",
     lambda q: q.take("vessels").keep("name", "passengers", "cars").rows_of("passengers", "cars", name="of", value="places"),
     "select name, 'passengers', passengers from vessels union all select name, 'cars', cars from vessels", 15),
    ("departures by weekday",
     lambda q: q.take("sailings").compute(DATE, "weekday", moment="departs_at", part="weekday").keep("weekday", sailing_id="count"),
     "select count(*), (strftime('%w', departs_at) + 6) % 7 + 1 from sailings group by 2", 19),
    ("departures by hour on the busiest route",
     lambda q: q.take("sailings").where("route_id", "=", "1").compute(DATE, "hour", moment="departs_at", part="hour").keep("hour", sailing_id="count").sort("hour"),
     "select count(*), cast(strftime('%H', departs_at) as integer) from sailings where route_id = 1 group by 2 order by 2", 29),
    ("shippers whose name begins with B",
     lambda q: q.take("shippers").where("name", "like", "B%").keep("name", "since"),
     "select name, since from shippers where name like 'B%'", 15),
    ("sailings whose delay is not known",
     lambda q: q.take("sailings").where("delay_minutes", "is null").keep("sailing_id", "status"),
     "select sailing_id, status from sailings where delay_minutes is null", 15),
    ("the second ten shippers by age",
     lambda q: q.take("shippers").keep("name", "since").sort("since", "name").first("10", "10"),
     "select name, since from shippers order by since, name limit 10 offset 10", 20),
    ("routes with code and name in one",
     lambda q: q.take("routes").compute(TEXT, "route", text_form="joined", text="code", other_text="name", detail=": ").keep("route", "minutes"),
     "select minutes, code || ': ' || name from routes", 20),
    ("freight of wool and seed",
     lambda q: q.take("waybill_lines").where("goods", "in", "Wool", "Seed").keep("goods", weight_kg="sum", pieces="sum"),
     "select goods, sum(pieces), sum(weight_kg) from waybill_lines where goods in ('Wool', 'Seed') group by 1", 21),
    ("cost centres with the one above",
     lambda q: q.take("cost_centres").join("cost_centres", "left join", way=1)
     .keep("cost_centres.name", "cost_centres_2.name"),
     "select c.name, p.name from cost_centres c left join cost_centres p on p.centre_id = c.parent_id", 16),
    ("waybills that are open, the oldest first",
     lambda q: q.take("waybills").where("status", "=", "open").keep("number", "shipped_on").sort("shipped_on", "number"),
     "select number, shipped_on from waybills where status = 'open' order by shipped_on, number", 22),
    ("the mean delay of each vessel in each season",
     lambda q: q.take("sailings").join("routes").join("vessels").keep("vessels.name", "routes.season", "sailings.delay_minutes")
     .across("routes.season", "avg", "sailings.delay_minutes"),
     "select v.name, avg(case when season = 'all-year' then delay_minutes end), avg(case when season = 'summer' then delay_minutes end) from sailings join routes using (route_id) join vessels v using (vessel_id) group by 1", 27),
]  # fmt: skip


def plain(value: Any) -> Any:
    """A value as SQLite has it, numbers without what a float adds to them."""
    if isinstance(value, int | float | Decimal) and not isinstance(value, bool):
        return round(float(value), 6)
    if isinstance(value, datetime):
        return value.isoformat(sep=" ")
    return value.isoformat() if isinstance(value, date) else value


@pytest.mark.parametrize(
    ("built", "sql", "most"), [question[1:] for question in QUESTIONS], ids=[q[0] for q in QUESTIONS]
)
def test_a_question_is_asked_by_choosing(
    window: Window, qtbot: QtBot, tarrow: sqlite3.Connection, built: Callable[[Asking], Asking], sql: str, most: int
) -> None:
    asking = built(Asking(window, qtbot))
    is_ordered = "order by" in sql.rpartition(")")[2]
    in_order = list if is_ordered else partial(sorted, key=repr)
    wanted = in_order([plain(value) for value in row] for row in tarrow.execute(sql))
    assert wanted
    pane = window.data.pane

    def found() -> list[list[Any]]:
        if pane.rows is None or not pane.rows.is_whole:
            return []
        return in_order([plain(value) for value in row.values()] for row in pane.rows.table.to_pylist())

    with suppress(qtbot.TimeoutError):
        qtbot.waitUntil(lambda: found() == wanted, timeout=5_000)
    assert found() == wanted, window.data.editor.text()
    assert asking.actions <= most
