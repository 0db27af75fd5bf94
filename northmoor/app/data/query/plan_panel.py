"""Small parts of the panel at the right of Data."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import number_text, size_text, tr, tr_count
from northmoor.app.widgets.headings import section
from northmoor.app.widgets.icons import IconLabel
from northmoor.app.widgets.theme import STONE_TEXT
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.engine.rows import Rows
from northmoor.core.sources.fetch.fetch_size import FetchSize
from northmoor.core.sources.fetch.plan import HERE, Step


class PlanPanel(QWidget):
    """The steps of a query: where each runs, what is sent, and as whom."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(6)
        self._layout.addWidget(section(tr("Plan")))
        self._shown: list[QWidget] = []

    def show_plan(self, steps: tuple[Step, ...] | str, fetched: Rows | None = None) -> None:
        """Show steps, or why there are none; and how much was fetched by them."""
        for widget in self._shown:
            hide_and_delete(widget)
        self._shown = []
        if isinstance(steps, str):
            self._add(_quiet(steps))
            return
        for step in steps:
            self._add(_step(step))
            if step.at_most is not None and fetched is None:
                self._add(_quiet(_fetched_at_most(step.at_most)))
        if fetched is not None:
            size, seconds = size_text(fetched.table.nbytes), number_text(fetched.seconds, ".2f")
            rows = tr_count(fetched.table.num_rows, "{count} row", "{count} rows")
            self._add(
                _quiet(tr("fetched: {rows}, {size}, in {seconds} s").format(rows=rows, size=size, seconds=seconds))
            )
        identities = dict.fromkeys(step.identity for step in steps if not step.identity.startswith("nobody"))
        if identities:
            self._add(_quiet(tr("runs as: {identities}").format(identities="; ".join(map(core_text, identities)))))

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
    picture = IconLabel("cpu" if step.where.startswith(HERE) else "server", STONE_TEXT, 15)
    row.addWidget(picture, 0, Qt.AlignmentFlag.AlignTop)
    text = QLabel(f"{core_text(step.where)}: {core_text(step.what)}")
    text.setObjectName("plan")
    text.setWordWrap(True)
    text.setTextFormat(Qt.TextFormat.PlainText)
    row.addWidget(text, 1)
    if step.sql:
        whole.setToolTip(tr("What is sent:\n\n{sql}").format(sql=step.sql))
    return whole


def _fetched_at_most(size: FetchSize) -> str:
    rows = tr_count(size.rows, "{count} row", "{count} rows")
    if size.bytes is None:
        return tr("would fetch: {rows} at most").format(rows=rows)
    return tr("would fetch: {rows} at most, about {size}").format(rows=rows, size=size_text(size.bytes))


def _quiet(text: str) -> QLabel:
    label = QLabel(text)
    label.setObjectName("quiet")
    label.setWordWrap(True)
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label
