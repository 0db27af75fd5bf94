"""Small parts of the panel at the right of Data."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from northmoor.app.icons import icon
from northmoor.app.theme import STONE_TEXT
from northmoor.app.widgets import discard
from northmoor.core.sources.plan import HERE, Step


def section(text: str) -> QLabel:
    """A heading."""
    label = QLabel(text)
    label.setObjectName("section")
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label


def line() -> QFrame:
    """A hairline between parts."""
    rule = QFrame()
    rule.setObjectName("hairline")
    rule.setFixedHeight(1)
    return rule


class PlanPanel(QWidget):
    """The steps of a query: where each runs, what is sent, and as whom."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(6)
        self._layout.addWidget(section("Plan"))
        self._shown: list[QWidget] = []

    def show_plan(self, steps: tuple[Step, ...] | str) -> None:
        """Show steps, or why there are none."""
        for widget in self._shown:
            discard(widget)
        self._shown = []
        if isinstance(steps, str):
            self._add(_quiet(steps))
            return
        for step in steps:
            self._add(_step(step))
        identities = dict.fromkeys(step.identity for step in steps if not step.identity.startswith("nobody"))
        if identities:
            self._add(_quiet(f"runs as: {'; '.join(identities)}"))

    def text(self) -> str:
        """All that the panel says."""
        return "\n".join(
            label.text()
            for widget in self._shown
            for label in (widget, *widget.findChildren(QLabel))
            if isinstance(label, QLabel)
        )

    def _add(self, widget: QWidget) -> None:
        self._shown.append(widget)
        self._layout.addWidget(widget)


def _step(step: Step) -> QWidget:
    whole = QWidget()
    row = QHBoxLayout(whole)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(8)
    picture = QLabel()
    picture.setPixmap(icon("cpu" if step.where.startswith(HERE) else "server", STONE_TEXT, 15).pixmap(15, 15))
    row.addWidget(picture, 0, Qt.AlignmentFlag.AlignTop)
    text = QLabel(f"{step.where}: {step.what}")
    text.setObjectName("plan")
    text.setWordWrap(True)
    text.setTextFormat(Qt.TextFormat.PlainText)
    row.addWidget(text, 1)
    if step.sql:
        whole.setToolTip(f"Sent as it stands:\n\n{step.sql}")
    return whole


def _quiet(text: str) -> QLabel:
    label = QLabel(text)
    label.setObjectName("quiet")
    label.setWordWrap(True)
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label
