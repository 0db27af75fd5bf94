"""The right of the workspace: the chosen run or order, and what can be done with it."""

from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFormLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from northmoor.app.delivery.delivery_snapshot import OrderLine, RunLine
from northmoor.app.language.core_sentences import core_place, core_text
from northmoor.app.language.translation import moment_text, number_text, size_text, tr, tr_count
from northmoor.app.widgets.flow_layout import FlowLayout
from northmoor.app.widgets.headings import line, section
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.delivery.archive.archive_index import given_text
from northmoor.core.delivery.archive.run_record import RUN_STATES, HandedOver, RunFinding, RunRecord
from northmoor.core.delivery.destinations.destination import destination_words
from northmoor.core.delivery.orders.timetable import Timetable, next_times
from northmoor.core.delivery.service.ledger import Wanted

_MOST = 12
_HINT = tr("Choose a run to see what it was made with and where it went, or an order at the left.")
_STATES_OF_WANTED: Mapping[str, str] = {
    "waiting": tr("waiting"), "handing": tr("being sent"), **{state: tr(text) for state, text in RUN_STATES.items()},
}  # fmt: skip
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
                column.addLayout(_form([(tr("State"), shown.state), (tr("Progress"), shown.result)]))
                actions = [("stop", "circle-stop", tr("Stop"), tr("Stop it; what was made of it is not kept"))]
                self._add_buttons(column, actions if shown.share is not None else [])
                return
            column.addLayout(_form(_facts(record)))
            if record.reason:
                column.addWidget(_label(core_text(record.reason), "fault" if record.state == "failed" else "warning"))
            self._counts(column, record)
            _listed(column, tr("Findings"), [_finding_words(each) for each in record.findings])
            _listed(column, tr("Files"), [f"{file.name} · {size_text(file.size)}" for file in record.files])
            _listed(column, tr("Sent to"), [_handed_words(each) for each in handed])
            self._add_buttons(column, _run_actions(record, has_earlier))

        self._show(("run", shown, record, tuple(handed), has_earlier), fill)

    def _counts(self, column: QVBoxLayout, record: RunRecord) -> None:
        if record.records is not None:
            counts = record.records
            column.addWidget(section(tr("Records")))
            column.addLayout(
                _form(
                    [
                        (tr("Made"), number_text(counts.made)),
                        (tr("Failed"), number_text(counts.failed)),
                        (tr("Left out"), number_text(counts.left_out)),
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
                column.addWidget(_label(tr("Its file cannot be read. Correct it, or remove it."), "fault"))
                self._add_buttons(column, [("remove_order", "trash-2", tr("Remove"), tr("Remove the order's file"))])
                return
            to = [core_text(destination_words(each)) for each in order.destinations] or [tr("only the archive")]
            values = " · ".join(f"{name} {value}" for name, value in order.values.items())
            own = [(tr("Report"), Path(order.report).stem), (tr("Values"), values or tr("the report's own"))]
            own += (
                [(tr("For each"), order.bundle.for_each or tr("row of {query}").format(query=order.bundle.query))]
                if order.bundle
                else []
            )
            column.addLayout(
                _form([*own, (tr("Formats"), ", ".join(order.formats).upper()), (tr("To"), "\n".join(to))])
            )
            if isinstance(order.when, Timetable):
                times = next_times(order.when, datetime.now(UTC), 5)
                zone = order.when.zone
                _listed(
                    column,
                    tr("Next times"),
                    [moment_text(each.astimezone(zone), "%a %-d %b %Y, %H:%M") for each in times],
                )
            if shown.tone == "fault":
                column.addWidget(_label(shown.state, "fault"))
            _listed(
                column,
                tr("Last"),
                [_asked_words(each) for each in asked[:6]],
            )
            self._add_buttons(
                column,
                [
                    ("edit_order", "pencil", tr("Edit…"), tr("Change when, what and to whom")),
                    ("try_order", "play", tr("Try it now"), tr("Make a run now without sending it")),
                    (
                        "pause_order",
                        "play" if order.paused else "circle-stop",
                        tr("Resume") if order.paused else tr("Pause"),
                        tr("Resume its runs") if order.paused else tr("Pause its runs"),
                    ),
                    ("remove_order", "trash-2", tr("Remove"), tr("Remove the order; its runs stay in the archive")),
                ],
            )

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
        found.append(("open", "file-text", tr("Open"), tr("Open its first file (Enter)")))
        found.append(("open_folder", "folder-open", tr("Open folder"), tr("Open the folder with its files")))
    if record.is_whole and has_earlier:
        found.append(("compare", "git-compare-arrows", tr("Compare with the one before…"), tr("Show what differs")))
    if record.is_whole:
        found.append(("deliver_again", "send", tr("Deliver again…"), tr("Copy its files to another folder")))
    found.append(("run_again", "repeat", tr("Run again"), tr("Run it again with the present data")))
    return found


def _facts(record: RunRecord) -> Facts:
    moment = moment_text(record.data_time, "%-d %b %Y, %H:%M") if record.data_time else tr("unknown")
    who = {
        "person": tr("by hand"),
        "order": tr("standing order {order}").format(order=record.order),
        "program": tr("a program"),
    }[record.asked_by]
    return [
        (tr("Values"), given_text(record) or tr("none")),
        (tr("Data time"), moment),
        (
            tr("Report"),
            tr("{stem}, revision {revision}").format(stem=Path(record.report).stem, revision=record.revision[:6])
            if record.revision
            else record.report,
        ),
        (tr("Started by"), who),
        (
            tr("Duration"),
            tr("{seconds:.1f} s for {pages}").format(
                seconds=record.seconds, pages=tr_count(record.pages, "{count} page", "{count} pages")
            ),
        ),
    ]


def _finding_words(each: RunFinding) -> str:
    return f"{core_place(each.place)}: {core_text(each.message)}".lstrip(": ")


def _asked_words(each: Wanted) -> str:
    return f"{core_text(each.request.because)}: {_STATES_OF_WANTED[each.state]} {core_text(each.reason)}".strip()


def _handed_words(each: HandedOver) -> str:
    count = f" ({number_text(len(each.recipients))})" if len(each.recipients) > 1 else ""
    moment = moment_text(each.at.astimezone(), "%-d %b %H:%M")
    failed = f": {core_text(each.failed)}" if each.failed else ""
    return f"{core_text(each.destination)}{count}, {moment}{failed}"


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
        column.addWidget(_label(tr("and {count:,} more").format(count=len(texts) - _MOST), "quiet"))


def _label(text: str, name: str = "") -> QLabel:
    made = QLabel(text)
    made.setObjectName(name)
    made.setWordWrap(True)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    return made
