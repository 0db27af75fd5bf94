"""The sentence's chips and dialogs on their own: each says what it represents and gives back what was chosen."""

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QRect, Qt
from PyQt6.QtWidgets import QApplication, QLabel, QToolButton, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.data.query.dialogs.condition_dialog import ConditionDialog, ConditionScope
from northmoor.app.data.query.dialogs.join_dialog import JoinDialog, match_words
from northmoor.app.data.query.dialogs.sentence_dialogs import ColumnsDialog, FirstRowsDialog, SortingDialog, StackDialog
from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.data.query.sentence_text import by_words, comparison_words, join_words
from northmoor.app.data.query.sentence_view import SentenceView
from northmoor.app.data.query.sql_editor import SqlEditor
from northmoor.app.widgets.flow_layout import GLUED, FlowLayout
from northmoor.core.sources.builder.asides import JoinMatch, JoinPair
from northmoor.core.sources.builder.operands import Operand
from northmoor.core.sources.builder.select_model import (
    Comparison,
    FromItem,
    OrderItem,
    SelectItem,
    SelectModel,
    select_sql,
)
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable, ForeignKey
from tests.app.conftest import in_dialog

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
        ("select * from routes order by Random () limit 5", "Take routes keep all columns only a random sample of 5 step"),
        (
            "select r.code, count(*) as n from sailings s left join routes r on r.route_id = s.route_id where r.code is null or (s.sailing_id between 1 and 2 and r.code not like 'TQ%') group by r.code having count(*) >= 3 order by n desc, r.code",
            "Take sailings s with, if any, routes r by route_id where code is blank or ( sailing_id is between 1 and 2 and code is not like TQ% ) total n for each code having count(*) is at least 3 sorted by n ↓, code step",
        ),
        (
            "with late as (select sailing_id as id from sailings) select code from routes, late cross join sailings where (code = 'x') having (a = 1 or b = 2) and c union all select 1 from t order by code nulls last limit 5 offset 2",
            "First late take routes and late with each of sailings where code is x keep 1 column having ( a is 1 or b is 2 ) and c and all rows of select 1 from t sorted by code (blanks last) without the first 2 and of the rest only the first 5 step",
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
    assert comparison_words(Comparison("t.day", ">=", (":from",)), "date") == "day is from :from"
    assert comparison_words(Comparison("x" * 80)).endswith("…")
    assert join_words(FromItem("t", "", "left outer join"), "sqlite") == "with, if any,"
    assert by_words(FromItem("t", "", "join", on="t.a = u.b and t.c > 1"), "sqlite") == "t.a = u.b and t.c > 1"


SCOPE = ConditionScope("postgres", {"t.a": "text", "t.b": "number", "t.d": "date"}, ("season",))
OPERANDS = st.sampled_from(
    ["'paid'", "'12'", "12", "2 * 100000", "date '1995-03-15'", ":season", "t.b", "(select max(b) from u)", "'a\nb'",
     "'it''s'", "null", "lower('A')", "interval '3 days'", "-1.50", "'2025-01-01'", "t.b -- why\n + 1"]
)  # fmt: skip
COMPARISONS = st.one_of(
    st.builds(lambda left, o, a: Comparison(left, o, (a,)), st.sampled_from(["t.a", "t.d", "lower(x) || 'y'"]), st.sampled_from(["=", "<>", "<", ">=", "like", "not like"]), OPERANDS),
    st.builds(lambda o, a, b: Comparison("t.b", o, (a, b)), st.sampled_from(["between", "not between"]), OPERANDS, OPERANDS),
    st.builds(lambda o, values: Comparison("t.a", o, tuple(values)), st.sampled_from(["in", "not in"]), st.lists(OPERANDS, min_size=1, max_size=4)),
    st.builds(lambda o: Comparison("t.a", o), st.sampled_from(["is null", "is not null"])),
    st.sampled_from([Comparison("exists (select 1)"), Comparison("not (a or b)"), Comparison("a is distinct\n  from b")]),
)  # fmt: skip


@given(COMPARISONS)
def test_a_condition_comes_back_from_its_dialog_as_it_went_in(qapp: QApplication, comparison: Comparison) -> None:
    dialog = ConditionDialog(SCOPE, comparison)
    assert dialog.comparison() == comparison
    dialog.deleteLater()


def test_a_condition_is_what_is_filled_in_and_never_guessed(qtbot: QtBot) -> None:
    dialog = ConditionDialog(SCOPE, None)
    qtbot.addWidget(dialog)
    dialog.accept()
    assert (dialog.result(), dialog.fault.text()) == (0, "Choose a column, or write an expression.")
    dialog.left.setCurrentText("t.b")
    assert dialog.first.operand().kind == "number"
    dialog.first.value.setCurrentText("lots")
    dialog.accept()
    assert (dialog.result(), dialog.fault.text()) == (
        0,
        "lots is no number; write digits with a point, such as 1250 or 12.50.",
    )
    typed = {
        "text": ("2 * 3", "'2 * 3'"),
        "sql": ("2 * 3", "2 * 3"),
        "date": ("2025-03-01", "date '2025-03-01'"),
        "parameter": ("season", ":season"),
    }
    for kind, (value, sql) in typed.items():
        dialog.first.show_operand(Operand(kind, value))
        assert dialog.comparison() == Comparison("t.b", "=", (sql,))
    dialog.operator.setCurrentIndex(dialog.operator.findData("in"))
    dialog.list.show_values("text", ["a, b", "it's"])
    assert dialog.comparison() == Comparison("t.b", "in", ("'a, b'", "'it''s'"))
    dialog.operator.setCurrentIndex(dialog.operator.findData(""))
    dialog.whole.setPlainText("t.b > all (select 1)")
    assert dialog.comparison() == Comparison("t.b > all (select 1)")


def test_a_join_is_chosen_by_pairs_of_any_columns(qtbot: QtBot) -> None:
    sentence = parse_select("select s.sailing_id from sailings s", "sqlite")
    dialog = JoinDialog(sentence, AROUND)
    qtbot.addWidget(dialog)
    assert dialog.new() == FromItem("routes")
    joined = dialog.sentence().from_items[-1]
    assert (joined.join, joined.on) == ("join", "s.route_id = routes.route_id")
    dialog._add(JoinPair("s.sailing_id", ">=", "routes.code"))
    dialog.kind.setCurrentIndex(dialog.kind.findData("latest"))
    assert dialog.sentence().from_items[-1].on == (
        "s.route_id = routes.route_id and routes.code = (select max(routes_before.code) from routes routes_before"
        " where routes_before.route_id = s.route_id and routes_before.code <= s.sailing_id)"
    )
    dialog.kind.setCurrentIndex(dialog.kind.findData("none"))
    assert dialog.sentence().where.left.startswith(
        "not exists (select 1 from routes where s.route_id = routes.route_id and"
    )
    dialog._remove(dialog._rows[-1])
    assert comparison_words(dialog.sentence().where) == "has none in routes with s.route_id = routes.route_id"
    dialog.kind.setCurrentIndex(dialog.kind.findData("some"))
    assert comparison_words(dialog.sentence().where) == "has some in routes with s.route_id = routes.route_id"
    dialog.as_sql.setChecked(True)
    dialog.sql.setPlainText("")
    dialog.accept()
    assert dialog.result() == 0
    assert dialog.fault.text().startswith("Choose by which columns")


def test_the_latest_row_before_each_is_read_back(qtbot: QtBot) -> None:
    made = JoinDialog(parse_select("select s.sailing_id from sailings s", "sqlite"), AROUND)
    qtbot.addWidget(made)
    made._add(JoinPair("s.sailing_id", ">=", "routes.code"))
    made.kind.setCurrentIndex(made.kind.findData("latest"))
    sql = select_sql(made.sentence())
    sentence = parse_select(sql, "sqlite")
    dialog = JoinDialog(sentence, AROUND, sentence.from_items[1])
    qtbot.addWidget(dialog)
    assert dialog.kind.currentData() == "latest"
    assert not dialog.as_sql.isChecked()
    assert [row.pair() for row in dialog._rows] == [
        JoinPair("s.route_id", "=", "routes.route_id"), JoinPair("s.sailing_id", ">=", "routes.code")
    ]  # fmt: skip
    assert rewrite_select(sql, dialog.sentence(), "sqlite") == sql  # confirmed as it is
    taken = sentence.from_items[1]
    assert join_words(taken, "sqlite") == "with the latest of"
    assert by_words(taken, "sqlite") == "route_id, code ≤ sailing_id"
    dialog.kind.setCurrentIndex(dialog.kind.findData("left join"))
    assert dialog.sentence().from_items[1].on == "s.route_id = routes.route_id and s.sailing_id >= routes.code"
    other = parse_select(sql.replace("max(", "min("), "sqlite")
    assert JoinDialog(other, AROUND, other.from_items[1]).kind.currentData() == "left join"  # not the latest


@pytest.mark.parametrize("join", ["join routes r using (route_id)", "left outer join routes r on r.route_id=s.route_id and r.code > 'x'", ", routes r", "natural join routes r"])  # fmt: skip
def test_a_join_confirmed_unchanged_stays_as_it_is(qtbot: QtBot, join: str) -> None:
    sentence = parse_select(f"select s.sailing_id from sailings s {join}", "postgres")
    dialog = JoinDialog(sentence, AROUND, sentence.from_items[1])
    qtbot.addWidget(dialog)
    assert dialog.sentence() == sentence


def test_what_a_join_matches_is_shown_in_words() -> None:
    match = JoinMatch(before=10, matched=8, joined=12, others=7, unmet=2)
    assert match_words(match, "join", "routes") == (
        "10 rows so far: 8 find a match, 2 find none and are left out; some match several times, so that 8 rows become 12;"
        " 2 of 7 rows of routes match none and are not used. 12 rows."
    )
    assert match_words(match, "full join", "routes").endswith("16 rows.")
    assert match_words(match, "none", "routes").endswith("2 rows.")
    assert match_words(match, "cross join", "routes") == "10 rows so far × 7 of routes = 70 rows."


def test_rows_of_another_table_are_matched_by_name(qtbot: QtBot) -> None:
    sentence = parse_select("select code, route_id as sailing_id from routes", "sqlite")
    dialog = StackDialog(sentence, AROUND, None)
    qtbot.addWidget(dialog)
    dialog.table.setCurrentText("sailings")
    assert dialog.sql.toPlainText() == "select null, sailing_id from sailings"
    dialog.columns[0].setCurrentText("route_id")
    dialog._write()
    stacked = dialog.stacked()
    assert (stacked.words, stacked.sql) == ("union all", "select route_id, sailing_id from sailings")
    again = StackDialog(sentence, AROUND, stacked)
    qtbot.addWidget(again)
    assert again.stacked() == stacked


def test_how_many_rows_are_numbers_or_parameters(qtbot: QtBot) -> None:
    dialog = FirstRowsDialog("", "", False, ("n",))
    qtbot.addWidget(dialog)
    assert dialog.amounts() == ("10", "")
    again = FirstRowsDialog(":n", "5", False, ("n",))
    qtbot.addWidget(again)
    assert again.amounts() == (":n", "5")
    again.which.setCurrentIndex(1)  # of any rows none are left out before them
    assert (again.amounts(), again.is_sample) == ((":n", ""), True)


@pytest.mark.parametrize(
    ("sql", "which", "changed"),
    [
        ("select a from t limit 5", 1, "select a from t order by random() limit 5"),
        ("select a from t order by random() limit 5", 1, "select a from t order by random() limit 5"),
        ("select a from t order by random() limit 5", 0, "select a from t limit 5"),
        ("select a from t order by a limit 5", 0, "select a from t order by a limit 5"),
    ],
)
def test_a_sample_is_rows_at_random(qtbot: QtBot, sql: str, which: int, changed: str) -> None:
    view = SentenceView()
    qtbot.addWidget(view)
    view.show_sentence(parse_select(sql, "sqlite"), AROUND)
    written = [sql]
    view.changed.connect(lambda _, sentence, __: written.append(rewrite_select(sql, sentence, "sqlite")))

    def fill(dialog: FirstRowsDialog) -> None:
        dialog.which.setCurrentIndex(which)
        dialog.accept()

    in_dialog(FirstRowsDialog, fill)
    view.steps.edit_first()
    assert " ".join(written[-1].split()) == changed


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
    dialog.list.setCurrentRow(1)
    dialog.nulls.setCurrentIndex(dialog.nulls.findData("last"))
    dialog._place_nulls()
    assert dialog.order_items() == (OrderItem("b"), OrderItem("a", nulls="last"))
    dialog._remove()
    assert dialog.order_items() == (OrderItem("b"),)


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
