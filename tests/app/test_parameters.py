"""Each kind of parameter used by hand in the real window: what is chosen is on the page."""

from collections.abc import Callable
from html import unescape
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QDate, QPoint, Qt
from PyQt6.QtWidgets import QApplication, QMenu, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.parameters.control_base import Control
from northmoor.app.parameters.date_controls import CalendarControl, PeriodControl
from northmoor.app.parameters.inline_controls import (
    DropDownControl,
    EndsControl,
    FieldControl,
    StepperControl,
    SwitchControl,
    TogglesControl,
)
from northmoor.app.parameters.list_controls import LinesControl, TicksControl
from northmoor.app.widgets.menus import plain_text
from northmoor.app.window import Window
from northmoor.core.model.data.queries import Query
from northmoor.core.model.parameters import AllChoices, Choice, ChoicesFrom, Parameter
from northmoor.core.model.report import Report
from northmoor.core.store.report_files import save_report
from northmoor.core.values.relative_periods import Span
from tests.app.conftest import settle
from tests.helpers import dumped, report_of

SEASONS = (Choice(value="s", label="Summer"), Choice(value="w", label="Winter"), Choice(value="a", label="All year"))
PORTS = Query(
    name="ports",
    connection="tarrow",
    sql="select code, name from ports where island = :island or :island = 'all' order by port_id",
)
PARAMETERS: tuple[tuple[Parameter, str], ...] = (
    (Parameter(name="note", default="old"), "{:note}"),
    (Parameter(name="count", kind="integer", default=3, maximum_value=5), "{:count}"),
    (Parameter(name="rate", kind="decimal", default="1.50"), "{:rate * 2; 0.000}"),
    (Parameter(name="day", kind="date", default="2025-03-01"), "{:day; y-MM-dd}"),
    (Parameter(name="moment", kind="timestamp", default="2025-03-01 06:30"), "{:moment; y-MM-dd HH:mm}"),
    (Parameter(name="open", kind="boolean", default=False), "{:open}"),
    (Parameter(name="sure", kind="boolean", required=False), "{coalesce(cast(:sure as text), 'unknown')}"),
    (Parameter(name="season", choices=SEASONS, default="s", control="drop_down"), "{label(:season)}"),
    (Parameter(name="row", choices=SEASONS, required=False), "{label(:row)}"),
    (Parameter(name="seasons", choices=SEASONS, holds="list", control="toggles", default=("s",)), "{label(:seasons)}"),
    (Parameter(name="ports", holds="list", choices_from=ChoicesFrom(query="ports", value="code", label="name"), default=AllChoices(), required=False), "{label(:ports)}"),
    (Parameter(name="port", control="ticks", choices_from=ChoicesFrom(query="ports", value="code", label="name"), default="TQ"), "{label(:port)}"),
    (Parameter(name="ids", kind="integer", holds="list", default=(1, 2)), "{:ids_count}: {label(:ids)}"),
    (Parameter(name="when", kind="date", holds="range", default="last full quarter"), "{:when_from; y-MM-dd}/{:when_to; y-MM-dd}"),
    (Parameter(name="span", kind="timestamp", holds="range", required=False), "{:span_from; MM-dd HH:mm}/{:span_to; MM-dd HH:mm}"),
    (Parameter(name="weight", kind="decimal", holds="range", required=False), "{:weight_from; 0.0}/{:weight_to; 0.0}"),
    (Parameter(name="island", choices=(Choice(value="all", label="All"), Choice(value="Merrow", label="Merrow")), default="all"), "{:island}"),
)  # fmt: skip


def demonstration() -> Report:
    """A page that prints what each parameter holds, on a line of its own."""
    text = "\n".join(f"{parameter.name}: {shown}" for parameter, shown in PARAMETERS)
    block = {"kind": "text", "name": "values", "text": text}
    return report_of(block, queries=[PORTS], parameters=[parameter for parameter, _ in PARAMETERS])


@pytest.fixture
def shown(new_window: Callable[[], Window], copy: Path, qtbot: QtBot) -> Window:
    """A window on a report with a parameter of every kind."""
    save_report(demonstration(), copy)
    made = new_window()
    assert made.open(copy)
    settle(made, qtbot)
    return made


def printed(window: Window, name: str) -> str:
    """What the page prints of a parameter."""
    texts = [
        i["text"] for page in dumped(window._rendered.document)["pages"] for i in page["items"] if i["kind"] == "text"
    ]
    return next(text.partition(": ")[2] for text in texts if text.startswith(f"{name}:"))


def control_of(window: Window, name: str, kind: type[Any]) -> Any:
    control: Control = window.parameters.units[name].control
    assert type(control) is kind
    return control


def pick(qtbot: QtBot, control: Any, label: str) -> None:
    """Search a list for a label, and tick it with the keyboard."""
    qtbot.mouseClick(control.button, Qt.MouseButton.LeftButton)
    control.search.setFocus()
    qtbot.keyClicks(control.search, label)
    qtbot.keyClick(control.search, Qt.Key.Key_Down)
    qtbot.keyClick(control.list, Qt.Key.Key_Space)


def type_into(qtbot: QtBot, line: Any, text: str) -> None:
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, text)
    qtbot.keyClick(line, Qt.Key.Key_Return)


def test_defaults_are_what_the_pages_show_at_first(shown: Window) -> None:
    assert [printed(shown, n) for n in ("note", "count", "rate", "open", "sure", "season", "row")] == [
        "old",
        "3",
        "3.000",
        "no",
        "unknown",
        "Summer",
        "",
    ]
    assert printed(shown, "when") == "2025-10-01/2025-12-31"
    assert printed(shown, "ports").startswith("Tarrow Quay, Inverlang")


def test_texts_numbers_and_days_are_typed(shown: Window, qtbot: QtBot) -> None:
    type_into(qtbot, control_of(shown, "note", FieldControl).line, "it's {new} ; 'x'")
    settle(shown, qtbot)
    type_into(qtbot, control_of(shown, "rate", FieldControl).line, "0.125")
    settle(shown, qtbot)
    type_into(qtbot, control_of(shown, "day", CalendarControl).line, "start of this month")
    settle(shown, qtbot)
    assert [printed(shown, n) for n in ("note", "rate", "day")] == ["it's {new} ; 'x'", "0.250", "2026-01-01"]
    assert control_of(shown, "day", CalendarControl).line.toolTip() == "2026-01-01"


def test_a_number_is_stepped_by_mouse_and_keys_up_to_its_limit(shown: Window, qtbot: QtBot) -> None:
    stepper = control_of(shown, "count", StepperControl)
    less, more = (w for w in stepper.findChildren(QWidget) if w.objectName() == "step")
    qtbot.mouseClick(more, Qt.MouseButton.LeftButton)
    settle(shown, qtbot)
    stepper.line.setFocus()
    qtbot.keyClick(stepper.line, Qt.Key.Key_Up)
    settle(shown, qtbot)
    assert printed(shown, "count") == "5"
    qtbot.keyClick(stepper.line, Qt.Key.Key_Up)
    note = shown.parameters.units["count"].note
    qtbot.waitUntil(lambda: note.isVisible() and note.text() == "6 is above the maximum, 5.")
    assert printed(shown, "count") == "5"  # the last good pages stay
    qtbot.mouseClick(less, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not note.isVisible())


def test_days_and_moments_are_picked_from_a_calendar(shown: Window, qtbot: QtBot) -> None:
    day = control_of(shown, "day", CalendarControl)
    day.open()
    assert day.calendar.selectedDate() == QDate(2025, 3, 1)
    day.calendar.setSelectedDate(QDate(2025, 3, 9))
    qtbot.keyClick(day.calendar, Qt.Key.Key_Return)
    day.calendar.activated.emit(QDate(2025, 3, 9))
    settle(shown, qtbot)
    moment = control_of(shown, "moment", CalendarControl)
    moment.open()
    moment.calendar.clicked.emit(QDate(2025, 4, 2))
    settle(shown, qtbot)
    assert (printed(shown, "day"), printed(shown, "moment")) == ("2025-03-09", "2025-04-02 06:30")
    moment.open()
    moment.words.itemClicked.emit(moment.words.item(1))
    settle(shown, qtbot)
    assert printed(shown, "moment") == "2026-01-01 00:00"


def test_switches_have_a_third_state_where_nothing_is_needed(shown: Window, qtbot: QtBot) -> None:
    seen = []
    for name in ("open", "sure", "sure", "sure"):
        box = control_of(shown, name, SwitchControl).box
        box.setFocus()
        qtbot.keyClick(box, Qt.Key.Key_Space)
        settle(shown, qtbot)
        seen.append(printed(shown, name))
    assert seen == ["yes", "true", "false", "unknown"]


def test_lists_are_chosen_from_by_drop_down_and_toggles(shown: Window, qtbot: QtBot) -> None:
    season = control_of(shown, "season", DropDownControl).box
    widest = max(season.fontMetrics().horizontalAdvance(season.itemText(at)) for at in range(season.count()))
    assert season.width() > widest + 20  # no text runs under the arrow
    season.setFocus()
    qtbot.keyClick(season, Qt.Key.Key_Down)
    season.activated.emit(season.currentIndex())
    settle(shown, qtbot)
    row = {b.text(): b for b in control_of(shown, "row", TogglesControl).group.buttons()}
    assert list(row) == ["none", "Summer", "Winter", "All year"]
    assert row["none"].isChecked()
    qtbot.mouseClick(row["All year"], Qt.MouseButton.LeftButton)
    settle(shown, qtbot)
    many = {b.text(): b for b in control_of(shown, "seasons", TogglesControl).group.buttons()}
    qtbot.mouseClick(many["Winter"], Qt.MouseButton.LeftButton)
    settle(shown, qtbot)
    assert [printed(shown, n) for n in ("season", "row", "seasons")] == ["Winter", "All year", "Summer, Winter"]
    qtbot.mouseClick(row["none"], Qt.MouseButton.LeftButton)
    for label in ("Summer", "Winter"):
        qtbot.mouseClick(many[label], Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: shown._resolved_job is shown._job)
    note = shown.parameters.units["seasons"].note
    qtbot.waitUntil(lambda: note.isVisible())
    assert note.text() == "Choose at least one value; it must have one."


def test_a_long_list_is_searched_and_ticked_with_the_keyboard(shown: Window, qtbot: QtBot) -> None:
    ports = control_of(shown, "ports", TicksControl)
    assert ports.button.text() == "All 7"
    qtbot.mouseClick(ports.button, Qt.MouseButton.LeftButton)
    ports.every[1].click()
    assert ports.message.text() == "0 ticked"
    ports.popup.hide()
    settle(shown, qtbot)
    assert printed(shown, "ports") == ""
    pick(qtbot, ports, "hav")
    ports.popup.hide()
    settle(shown, qtbot)
    assert (printed(shown, "ports"), ports.button.text()) == ("Sule Haven", "Sule Haven")
    port = control_of(shown, "port", TicksControl)
    pick(qtbot, port, "brae")
    assert not port.popup.isVisible()  # a single choice is made at once
    settle(shown, qtbot)
    assert printed(shown, "port") == "Brae Ness"


def test_values_are_written_one_a_line(shown: Window, qtbot: QtBot) -> None:
    ids = control_of(shown, "ids", LinesControl)
    ids.open()
    ids.text.setPlainText("\n".join(map(str, range(1000, 1020))) + "\n\n 1000 \n")
    ids.popup.hide()
    settle(shown, qtbot)
    assert printed(shown, "ids").startswith("20: 1000, 1001")
    ids.open()
    ids.text.setPlainText("7\nseven")
    ids.popup.hide()
    note = shown.parameters.units["ids"].note
    qtbot.waitUntil(lambda: note.isVisible())
    assert note.toolTip() == "'seven' is no integer; write a whole number such as 12."
    assert ids.button.property("invalid") is True


def test_ranges_are_chosen_in_words_or_by_their_ends(shown: Window, qtbot: QtBot) -> None:
    when = control_of(shown, "when", PeriodControl)
    assert (when.button.text(), when.button.toolTip()) == (
        "last full quarter",
        "1 Oct 2025 – 31 Dec 2025 (data time counts as now)",
    )
    when.open()
    (item,) = when.words.findItems("year to date", Qt.MatchFlag.MatchExactly)
    when.words.itemActivated.emit(item)
    settle(shown, qtbot)
    assert (printed(shown, "when"), when.button.text()) == ("2026-01-01/2026-01-01", "year to date")
    when.open()
    type_into(qtbot, when.typed, "last 3 months")
    settle(shown, qtbot)
    assert printed(shown, "when") == "2025-10-02/2026-01-01"
    when.open()
    when.calendar.clicked.emit(QDate(2025, 2, 3))
    when.last.setText("2025-02-28")
    when.apply.click()
    settle(shown, qtbot)
    assert printed(shown, "when") == "2025-02-03/2025-02-28"
    assert when.button.text() == "3 Feb 2025 – 28 Feb 2025"
    span = control_of(shown, "span", PeriodControl)
    span.open()
    (item,) = span.words.findItems("last 24 hours", Qt.MatchFlag.MatchExactly)
    span.words.itemClicked.emit(item)
    settle(shown, qtbot)
    assert printed(shown, "span") == "12-31 06:00/01-01 06:00"
    held = shown.controller.resolved.chosen["span"]
    assert isinstance(held, Span)
    span.open()
    span.words.itemClicked.emit(span.words.item(0))
    settle(shown, qtbot)
    assert (printed(shown, "span"), span.button.text()) == ("/", "none")


def test_ranges_of_numbers_are_typed_by_their_ends(shown: Window, qtbot: QtBot) -> None:
    weight = control_of(shown, "weight", EndsControl)
    assert (printed(shown, "weight"), weight.least.text()) == ("/", "")
    weight.least.setFocus()
    qtbot.keyClicks(weight.least, "1.5")
    qtbot.keyClick(weight.least, Qt.Key.Key_Tab)
    type_into(qtbot, control_of(shown, "note", FieldControl).line, "meanwhile")
    settle(shown, qtbot)
    assert (printed(shown, "weight"), weight.least.text()) == ("/", "1.5")  # it waits for the other end
    type_into(qtbot, weight.greatest, "20")
    settle(shown, qtbot)
    assert printed(shown, "weight") == "1.5/20.0"
    shown.parameters.keep("heavy")
    type_into(qtbot, weight.greatest, "1")
    settle(shown, qtbot)
    note = shown.parameters.units["weight"].note
    qtbot.waitUntil(lambda: note.text().startswith("The range ends (1) before it begins (1.5)"))
    for line in (weight.least, weight.greatest):
        line.clear()
        type_into(qtbot, line, "")
    settle(shown, qtbot)
    assert printed(shown, "weight") == "/"
    (kept,) = [value for value in shown.controller.report.value_sets[-1].values if value.parameter == "weight"]
    assert kept.value == "1.5/20"


def test_an_upper_choice_drops_lower_ones_and_says_so(shown: Window, qtbot: QtBot) -> None:
    shown.controller.set_value("ports", ("TQ", "MP", "SH"))
    settle(shown, qtbot)
    buttons = {b.text(): b for b in control_of(shown, "island", TogglesControl).group.buttons()}
    shown.controller.set_value("port", "MP")
    settle(shown, qtbot)
    qtbot.mouseClick(buttons["Merrow"], Qt.MouseButton.LeftButton)
    settle(shown, qtbot)
    unit = shown.parameters.units["ports"]
    assert (printed(shown, "ports"), unit.note.toolTip()) == (
        "Merrow Point",
        "TQ, SH dropped: not in the list any more",
    )
    qtbot.mouseClick(buttons["All"], Qt.MouseButton.LeftButton)
    settle(shown, qtbot)
    assert (printed(shown, "ports"), unit.note.isVisible()) == ("Merrow Point", False)


def test_changes_are_held_back_while_the_switch_says_so(shown: Window, qtbot: QtBot) -> None:
    shown.controller.set_value("port", "MP")
    settle(shown, qtbot)
    before = shown._rendered
    shown.parameters.hold.click()
    shown.controller.set_value("island", "Merrow")
    ports = control_of(shown, "ports", TicksControl)
    qtbot.waitUntil(lambda: ports.button.text() == "All 2")  # lists follow what is held back
    type_into(qtbot, control_of(shown, "note", FieldControl).line, "later")
    assert shown.parameters.hold.text() == "Apply together · 2"
    qtbot.waitUntil(lambda: shown._notice.text() == "")
    qtbot.wait(100)
    assert shown._rendered is before
    shown.parameters.hold.click()
    settle(shown, qtbot)
    assert (printed(shown, "note"), printed(shown, "ports")) == ("later", "Merrow Point, Brae Ness")


def test_sets_of_values_are_kept_recalled_and_taken_out(shown: Window, qtbot: QtBot) -> None:
    bar, controller = shown.parameters, shown.controller
    for name, value in (("count", "5"), ("when", "year to date"), ("ids", ["7", "8"]), ("row", "w")):
        controller.set_value(name, value)
    settle(shown, qtbot)
    bar.keep("Year so far")
    settle(shown, qtbot)
    (kept,) = controller.report.value_sets
    assert {v.parameter: v.value for v in kept.values} == {
        "count": "5",
        "when": "year to date",
        "ids": ("7", "8"),
        "row": "w",
    }
    chosen(qtbot, shown, "Defaults")
    settle(shown, qtbot)
    assert (printed(shown, "count"), printed(shown, "ids")) == ("3", "2: 1, 2")
    chosen(qtbot, shown, "Year so far")
    settle(shown, qtbot)
    assert [printed(shown, n) for n in ("count", "when", "ids", "row")] == [
        "5",
        "2026-01-01/2026-01-01",
        "2: 7, 8",
        "Winter",
    ]
    controller.undo()
    assert controller.report.value_sets == ()
    settle(shown, qtbot)


def chosen(qtbot: QtBot, window: Window, text: str) -> None:
    """Choose an entry of the menu of value sets."""
    window.parameters.open_sets()
    menus = [m for m in window.parameters.findChildren(QMenu) if m.isVisible()]
    (action,) = [a for a in menus[-1].actions() if plain_text(a) == text]
    menus[-1].setActiveAction(action)
    qtbot.keyClick(menus[-1], Qt.Key.Key_Return)


def test_a_name_opens_its_menu_and_leads_back_to_the_default(shown: Window, qtbot: QtBot) -> None:
    type_into(qtbot, control_of(shown, "note", FieldControl).line, "new")
    settle(shown, qtbot)
    unit = shown.parameters.units["note"]
    qtbot.mouseClick(unit.name, Qt.MouseButton.LeftButton, pos=QPoint(3, 3))
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    menu.actions()[0].trigger()
    menu.close()
    settle(shown, qtbot)
    assert printed(shown, "note") == "old"
    assert control_of(shown, "note", FieldControl).line.text() == "old"


def test_values_can_be_given_when_a_report_is_opened(shown: Window, copy: Path, qtbot: QtBot) -> None:
    assert shown.open(copy, {"note": "from a program", "ids": ["7", "8", "9"]})
    settle(shown, qtbot)
    assert (printed(shown, "note"), printed(shown, "ids")) == ("from a program", "3: 7, 8, 9")
    assert shown.open(copy, {"note": "x", "nix": 1})
    qtbot.waitUntil(lambda: "no parameter 'nix'" in unescape(shown._notice.toolTip()))


@pytest.mark.slow
def test_a_list_too_long_to_drop_down_is_searched(new_window: Callable[[], Window], copy: Path, qtbot: QtBot) -> None:
    many = Query(
        name="many", connection="tarrow", sql="select booking_id from bookings order by booking_id limit 100000"
    )
    booking = Parameter(
        name="booking", kind="integer", choices_from=ChoicesFrom(query="many", value="booking_id"), default=7
    )
    text = {"kind": "text", "name": "t", "text": "booking: {:booking; 0}"}
    save_report(report_of(text, queries=[many], parameters=[booking]), copy)
    window = new_window()
    assert window.open(copy)
    settle(window, qtbot)
    control = control_of(window, "booking", TicksControl)
    assert control.button.text() == "7"
    pick(qtbot, control, "99999")
    settle(window, qtbot)
    assert printed(window, "booking") == "99999"


def test_an_empty_list_says_why_beside_its_control(shown: Window, qtbot: QtBot) -> None:
    shown.controller.edit(
        "No ports", lambda r, _: r.but(queries=(PORTS.but(sql="select code, name from ports where :island = 'Skye'"),))
    )
    qtbot.waitUntil(lambda: shown._resolved_job is shown._job)
    notes = {name: shown.parameters.units[name].note.toolTip() for name in ("ports", "port")}
    assert notes["ports"] == "The query ports returns no rows for island = All."
    assert notes["port"].startswith("Its default 'TQ' is not in its list. There are no values. The query ports")
    assert control_of(shown, "ports", TicksControl).button.text() == "no values"


def test_an_endless_list_can_be_stopped_and_the_pages_stay(shown: Window, qtbot: QtBot) -> None:
    pages = shown._rendered
    endless = "with recursive n(i) as (select 1 union all select i + 1 from n) select i as code, '' as name from n where i < 0"
    shown.controller.edit("Endless", lambda r, _: r.but(queries=(PORTS.but(sql=endless),)))
    qtbot.waitUntil(lambda: shown._progress.isVisible(), timeout=5_000)
    assert "Fetching the choices in ports" in shown._notice.text()
    with qtbot.waitSignal(shown.worker.stopped, timeout=10_000):
        shown.actions_by_name["stop"].trigger()
    assert shown._rendered is pages
    shown.controller.undo()
    settle(shown, qtbot)
    assert printed(shown, "port") == "Tarrow Quay"
