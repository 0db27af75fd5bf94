"""The line over a sentence: which query it is, what it runs on, and what else can be done with it."""

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QToolButton, QWidget

from northmoor.app.data.catalog_tree import query_kind
from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.core.model.data.queries import Query

COMBINED = tr("other queries")


class QueryBar(QWidget):
    """Name and connection of the current query."""

    connection_chosen = pyqtSignal(str)
    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.name = QLabel()
        self.name.setObjectName("name")
        self.name.setTextFormat(Qt.TextFormat.PlainText)
        self.kind = QLabel()
        self.kind.setObjectName("quiet")
        self.kind.setTextFormat(Qt.TextFormat.PlainText)
        self.connection = QComboBox()
        self.connection.setAccessibleName(tr("Connection"))
        self.connection.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.connection.setToolTip(
            tr("What the query runs on; its SQL is written as that wants it when this is changed")
        )
        self.menu = QToolButton()
        self.menu.setIcon(icon("ellipsis"))
        self.menu.setToolTip(tr("More for this query: rename, detail of, share, save rows, remove"))
        self.menu.setAccessibleName(tr("More for this query"))
        line = QHBoxLayout(self)
        line.setContentsMargins(14, 6, 10, 0)
        line.setSpacing(8)
        for widget in (self.name, self.kind, self.connection):
            line.addWidget(widget)
        line.addStretch(1)
        line.addWidget(self.menu)
        self.connection.activated.connect(lambda at: self.connection_chosen.emit(self.connection.itemData(at) or ""))
        self.menu.clicked.connect(
            lambda: self.menu_wanted.emit(self.menu.mapToGlobal(QPoint(0, self.menu.height() + 2)))
        )

    def show_query(self, query: Query | None, connections: list[str]) -> None:
        """Show a query, and the connections it could run on."""
        self.setEnabled(query is not None)
        self.name.setText(query.name if query is not None else tr("No query"))
        is_plain = query is not None and not query.shared
        self.connection.setVisible(is_plain)
        self.connection.clear()
        if query is None:
            self.kind.setText("")
            return
        words = query_kind(query)[0]
        if is_plain:
            self.kind.setText(
                tr("on")
                if query.is_combined or not (query.use_sample or query.detail_of)
                else tr("{words}, on").format(words=words)
            )
            for name in connections:
                self.connection.addItem(name, name)
            self.connection.addItem(COMBINED, "")
            if query.connection and query.connection not in connections:
                self.connection.addItem(
                    tr("{connection} (missing)").format(connection=query.connection), query.connection
                )
            self.connection.setCurrentIndex(self.connection.findData(query.connection or ""))
        else:
            self.kind.setText(words)
