"""The right of the workspace: the chosen run or order, and what can be done with it."""

from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFormLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from northmoor.app.delivery.delivery_snapshot import OrderLine, RunLine
from northmoor.app.widgets.flow_layout import FlowLayout
from northmoor.app.widgets.headings import line, section
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.delivery.archive.archive_index import given_text
from northmoor.core.delivery.archive.run_record import HandedOver, RunRecord
from northmoor.core.delivery.destinations.destination import destination_words
from northmoor.core.delivery.orders.timetable import Timetable, next_times
from northmoor.core.delivery.service.ledger import Wanted

_MOST = 12
_HINT = "Choose a run to see what it was made with and where it went, or an order at the left."
Facts = Sequence[tuple[str, str]]


class DetailPanel(QWidget):
    """Shows what is chosen. `wanted` tells what is to be done with it."""

    wanted = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._body: QWidget | None = None
        self._key: object = None
        self.buttons: dict[str, QPushButton] = {}
        self._scroll = QScrollArea()
        self._scroll.setObjectName("panel")
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._scroll)
        self.show_nothing()

    def show_nothing(self) -> None:
        """Say what belongs here."""

        def fill(column: QVBoxLayout) -> None:
            column.addWidget(_label(_HINT, "quiet"))

        self._show("nothing", fill)

    def show_run(
        self, shown: RunLine, record: RunRecord | None, handed: Sequence[HandedOver], has_earlier: bool
    ) -> None:
        """Show a run with all that is kept of it, or one that is under way."""

        def fill(column: QVBoxLayout) -> None:
            column.addWidget(_label(shown.title, "name"))
            column.addWidget(_label(shown.asked, "quiet"))
            column.addWidget(line())
            if record is None:
                column.addLayout(_form([("State", shown.state), ("So far", shown.result)]))
                actions = [("stop", "circle-stop", "Stop", "Stop it; what was made of it is not kept")]
                self._add_buttons(column, actions if shown.share is not None else [])
                return
            column.addLayout(_form(_facts(record)))
            if record.reason:
                column.addWidget(_label(record.reason, "fault" if record.state == "failed" else "warning"))
            self._counts(column, record)
            _listed(column, "Findings", [f"{each.place}: {each.message}".lstrip(": ") for each in record.findings])
            _listed(column, "Files", [f"{file.name} · {size_words(file.size)}" for file in record.files])
            _listed(column, "Went to", [_handed_words(each) for each in handed])
            self._add_buttons(column, _run_actions(record, has_earlier))

        self._show(("run", shown, record, tuple(handed), has_earlier), fill)

    def _counts(self, column: QVBoxLayout, record: RunRecord) -> None:
        if record.records is not None:
            counts = record.records
            column.addWidget(section("Records"))
            column.addLayout(
                _form(
                    [
                        ("Made", f"{counts.made:,}"),
                        ("Failed", f"{counts.failed:,}"),
                        ("Left out", f"{counts.left_out:,}"),
                    ]
                )
            )

    def show_order(self, shown: OrderLine, asked: Sequence[Wanted]) -> None:
        """Show an order: when, what, to whom, its next times and last runs."""

        def fill(column: QVBoxLayout) -> None:
            column.addWidget(_label(shown.title, "name"))
            column.addWidget(_label(shown.when, "quiet"))
            column.addWidget(line())
            order = shown.order
            if order is None:
                column.addWidget(_label("Its file cannot be read. Correct it, or remove it.", "fault"))
                self._add_buttons(column, [("remove_order", "trash-2", "Remove", "Remove the order's file")])
                return
            to = [destination_words(each) for each in order.destinations] or ["only the archive"]
            values = " · ".join(f"{name} {value}" for name, value in order.values.items())
            own = [("Report", Path(order.report).stem), ("Values", values or "the report's own")]
            own += [("Each", order.bundle.for_each or f"row of {order.bundle.query}")] if order.bundle else []
            column.addLayout(_form([*own, ("Formats", ", ".join(order.formats).upper()), ("To", "\n".join(to))]))
            if isinstance(order.when, Timetable):
                times = next_times(order.when, datetime.now(UTC), 5)
                zone = order.when.zone
                _listed(column, "Next times", [f"{each.astimezone(zone):%a %-d %b %Y, %H:%M}" for each in times])
            if shown.tone == "fault":
                column.addWidget(_label(shown.state, "fault"))
            _listed(
                column, "Last", [f"{each.request.because}: {each.state} {each.reason}".strip() for each in asked[:6]]
            )
            self._add_buttons(column, [
                ("edit_order", "pencil", "Edit…", "Change when, what and to whom"),
                ("try_order", "play", "Try it now", "Make a run now, and send it nowhere"),
                ("pause_order", "play" if order.paused else "circle-stop", "Resume" if order.paused else "Pause",
                 "Let it make runs again" if order.paused else "Let it make no runs for now"),
                ("remove_order", "trash-2", "Remove", "Remove the order; its runs stay in the archive"),
            ])  # fmt: skip

        self._show(("order", shown, tuple((each.key, each.state, each.reason) for each in asked[:6])), fill)

    def _show(self, key: object, fill: Callable[[QVBoxLayout], None]) -> None:
        if key == self._key:
            return
        self._key = key
        place = self._scroll.verticalScrollBar()
        at = place.value() if place is not None else 0
        self.buttons = {}
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(14, 10, 12, 10)
        column.setSpacing(8)
        fill(column)
        column.addStretch(1)
        old, self._body = self._scroll.takeWidget(), body
        self._scroll.setWidget(body)
        if old is not None:
            hide_and_delete(old)
        if place is not None:
            place.setValue(at)

    def _add_buttons(self, column: QVBoxLayout, actions: Sequence[tuple[str, str, str, str]]) -> None:
        column.addWidget(line())
        row = FlowLayout()
        for name, drawing, text, tip in actions:
            button = QPushButton(icon(drawing), text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, name=name: self.wanted.emit(name))
            self.buttons[name] = button
            row.addWidget(button)
        column.addLayout(row)


def _run_actions(record: RunRecord, has_earlier: bool) -> list[tuple[str, str, str, str]]:
    found = []
    if record.files:
        found.append(("open", "file-text", "Open", "Open its first file (Enter)"))
        found.append(("open_folder", "folder-open", "Open folder", "Open the folder with its files"))
    if record.is_whole and has_earlier:
        found.append(("compare", "git-compare-arrows", "Compare with the one before…", "Show what differs"))
    if record.is_whole:
        found.append(("deliver_again", "send", "Deliver again…", "Put its files into another folder"))
    found.append(("run_again", "repeat", "Run again", "Make the same with the data as they are now"))
    return found


def _facts(record: RunRecord) -> Facts:
    moment = f"{record.data_time:%-d %b %Y, %H:%M}" if record.data_time else "unknown"
    who = {"person": "by hand", "order": f"standing order {record.order}", "program": "a program"}[record.asked_by]
    return [
        ("Values", given_text(record) or "none"),
        ("Data time", moment),
        ("Report", f"{Path(record.report).stem}, revision {record.revision[:6]}" if record.revision else record.report),
        ("Started by", who),
        ("Took", f"{record.seconds:.1f} s for {record.pages:,} page{'s' if record.pages != 1 else ''}"),
    ]


def _handed_words(each: HandedOver) -> str:
    count = f" ({len(each.recipients):,})" if len(each.recipients) > 1 else ""
    return f"{each.destination}{count}, {each.at.astimezone():%-d %b %H:%M}{f': {each.failed}' if each.failed else ''}"


def size_words(size: int) -> str:
    """A number of bytes as people say it."""
    for unit, limit in (("MB", 1_000_000), ("kB", 1_000)):
        if size >= limit:
            return f"{size / limit:,.1f} {unit}"
    return f"{size} bytes"


def _form(facts: Facts) -> QFormLayout:
    form = QFormLayout()
    form.setHorizontalSpacing(12)
    form.setVerticalSpacing(6)
    form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
    for name, text in facts:
        form.addRow(_label(name, "quiet"), _label(text or "–"))
    return form


def _listed(column: QVBoxLayout, title: str, texts: Sequence[str]) -> None:
    if not texts:
        return
    column.addWidget(section(title))
    for text in texts[:_MOST]:
        column.addWidget(_label(text))
    if len(texts) > _MOST:
        column.addWidget(_label(f"and {len(texts) - _MOST:,} more", "quiet"))


def _label(text: str, name: str = "") -> QLabel:
    made = QLabel(text)
    made.setObjectName(name)
    made.setWordWrap(True)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return made
