"""The sentence's chips and dialogs on their own: each says what it represents and gives back what was chosen."""

import pytest
from PyQt6.QtCore import QRect, Qt
from PyQt6.QtWidgets import QLabel, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.data.query.sentence_dialogs import ColumnsDialog, ComparisonDialog, SortingDialog
from northmoor.app.data.query.sentence_text import by_words, comparison_words, join_words
from northmoor.app.data.query.sentence_view import SentenceContext, SentenceView
from northmoor.app.data.query.sql_editor import SqlEditor
from northmoor.app.widgets.flow_layout import GLUED, FlowLayout
from northmoor.core.sources.builder.select_ast import (
    Comparison,
    FromItem,
    OrderItem,
    SelectItem,
    SelectModel,
    parse_select,
)
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable, ForeignKey

SAILINGS = CatalogTable(
    "sailings",
    (CatalogColumn("sailing_id", "int"), CatalogColumn("route_id", "int")),
    9,
    keys=(ForeignKey(("route_id",), "routes", ("route_id",)),),
)
ROUTES = CatalogTable("routes", (CatalogColumn("route_id", "int"), CatalogColumn("code", "text")), 9)
AROUND = SentenceContext(Catalog((SAILINGS, ROUTES)), "sqlite", ("season",))


def said(view: SentenceView) -> str:
    """All that a sentence says, in order."""
    flow = view.layout()
    widgets = [flow.itemAt(n).widget() for n in range(flow.count())]
    return " ".join(w.text() for w in widgets if isinstance(w, QLabel | QToolButton))


@pytest.mark.parametrize(
    ("sql", "words"),
    [
        ("select * from routes", "Take routes keep all columns step"),
        ("select distinct code from routes limit :season", "Take routes keep 1 column distinct only the first :season step"),
        (
            "select r.code, count(*) as n from sailings s left join routes r on r.route_id = s.route_id where r.code is null or (s.sailing_id between 1 and 2 and not r.code like 'TQ%') group by r.code having count(*) >= 3 order by n desc, r.code",
            "Take sailings s with, if any, routes r by route_id where code is blank or ( sailing_id is between 1 and 2 and not r.code is like TQ% ) total n for each code having count(*) is at least 3 sorted by n ↓, code step",
        ),
    ],
)  # fmt: skip
def test_a_sentence_reads_as_words(qtbot: QtBot, sql: str, words: str) -> None:
    view = SentenceView()
    qtbot.addWidget(view)
    view.show_sentence(parse_select(sql, "sqlite"), AROUND)
    assert said(view) == words


def test_words_of_conditions_and_joins() -> None:
    assert (
        comparison_words(Comparison("t.status", "not in", ("'a'", "'it''s'", ":x"))) == "status is none of a, it's, :x"
    )
    assert comparison_words(Comparison("x" * 80)).endswith("…")
    assert join_words(FromItem("t", "", "left outer join")) == "with, if any,"
    assert by_words(FromItem("t", "", "join", on="t.a = u.b and t.c > 1")) == "t.a = u.b and t.c > 1"


@pytest.mark.parametrize(
    "comparison",
    [
        Comparison("t.a", "=", ("'paid'",)), Comparison("t.a", "between", ("1", ":season")), Comparison("t.a", "in", ("'a'", "'b'")),
        Comparison("t.a", "is not null"), Comparison("exists (select 1)"), Comparison("t.a", "like", ("'x%'",)),
    ],
)  # fmt: skip
def test_a_condition_comes_back_from_its_dialog_as_it_went_in(qtbot: QtBot, comparison: Comparison) -> None:
    dialog = ComparisonDialog(["t.a", "t.b"], ("season",), comparison)
    qtbot.addWidget(dialog)
    assert dialog.comparison() == comparison
    assert dialog.first.isVisibleTo(dialog) == bool(comparison.right)
    assert dialog.second.isVisibleTo(dialog) == (len(comparison.right) == 2 and comparison.operator == "between")


def test_a_condition_without_a_column_is_not_accepted(qtbot: QtBot) -> None:
    dialog = ComparisonDialog(["t.a"], (), None)
    qtbot.addWidget(dialog)
    dialog.accept()
    assert dialog.result() == 0
    assert dialog._hint.text() == "Choose a column, or write an expression."


def test_columns_come_back_in_their_new_order_with_names_and_totals(qtbot: QtBot) -> None:
    kept = (SelectItem("t.a", "first"), SelectItem("sum(t.b)", "total"))
    dialog = ColumnsDialog(["t.a", "t.b", "t.c"], kept)
    qtbot.addWidget(dialog)
    assert dialog.select_items() == list(kept)
    dialog.table.setCurrentCell(0, 0)
    dialog._move(1)
    dialog.table.item(2, 0).setCheckState(Qt.CheckState.Checked)
    dialog._add(SelectItem("t.a * 2", "double"), True)
    assert dialog.select_items() == [
        SelectItem("sum(t.b)", "total"),
        SelectItem("t.a", "first"),
        SelectItem("t.c"),
        SelectItem("t.a * 2", "double"),
    ]
    for row in range(dialog.table.rowCount()):
        dialog.table.item(row, 0).setCheckState(Qt.CheckState.Unchecked)
    assert dialog.select_items() == [SelectItem("*")]


def test_the_order_is_turned_moved_and_taken_out(qtbot: QtBot) -> None:
    dialog = SortingDialog(["a", "b"], (OrderItem("a"), OrderItem("b", True)))
    qtbot.addWidget(dialog)
    dialog.list.setCurrentRow(1)
    dialog._move(-1)
    dialog._turn()
    assert dialog.order_items() == (OrderItem("b"), OrderItem("a"))
    dialog._remove()
    assert dialog.order_items() == (OrderItem("a"),)


def test_lines_break_like_words_and_a_closing_bracket_stays(qtbot: QtBot) -> None:
    host = QWidget()
    qtbot.addWidget(host)
    flow = FlowLayout(host)
    for number in range(4):
        label = QLabel("x")
        label.setFixedSize(40, 20)
        label.setProperty(GLUED, number == 2)
        flow.addWidget(label)
    flow.setGeometry(QRect(0, 0, 115, 200))
    tops = [flow.itemAt(n).geometry().top() for n in range(4)]
    assert tops[0] == tops[1] == tops[2] < tops[3]
    assert flow.heightForWidth(1000) < flow.heightForWidth(100)


def test_a_fault_is_marked_where_it_is(qtbot: QtBot) -> None:
    editor = SqlEditor()
    qtbot.addWidget(editor)
    editor.setText("select a,\n  nope from t")
    editor.mark_fault(12)
    assert editor.getCursorPosition() == (1, 2)
    marked = [editor.SendScintilla(editor.SCI_INDICATORVALUEAT, 8, at) for at in range(len(editor.text()))]
    assert marked == [1 if 12 <= at < 16 else 0 for at in range(len(marked))]
    editor.mark_fault(None)
    assert not any(editor.SendScintilla(editor.SCI_INDICATORVALUEAT, 8, at) for at in range(20))


def test_a_sentence_without_tables_says_so(qtbot: QtBot) -> None:
    view = SentenceView()
    qtbot.addWidget(view)
    view.show_beginning(SentenceContext())
    assert said(view) == "Take a table …"
    view.show_message("This SQL says more.")
    assert said(view) == "This SQL says more."
    assert view.sentence is None
    assert SelectModel((FromItem("t"),), (SelectItem("*"),)).first == ""
