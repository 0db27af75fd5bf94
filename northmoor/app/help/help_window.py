"""The help's window: topics at the left, searched by any words; the chosen one at the right."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtWidgets import (
    QDialog,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.help.guide_text import GuideText
from northmoor.app.help.topics import Topic
from northmoor.app.language.translation import tr

_TOPIC = Qt.ItemDataRole.UserRole


class HelpWindow(QDialog):
    """Stays open beside the window that it explains."""

    def __init__(self, topics: Sequence[Topic], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Help"))
        self.resize(900, 620)
        self._topics = topics
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search the help"))
        self.search.setAccessibleName(tr("Search the help"))
        self.search.setToolTip(tr("Show the topics that have these words; Enter shows the first"))
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Topics"))
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.text = GuideText()
        self.text.setAccessibleName(tr("Explanation"))
        self.text.anchorClicked.connect(self._follow)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(0, 0, 6, 0)
        column.addWidget(self.search)
        column.addWidget(self.list, 1)
        split = QSplitter()
        split.addWidget(left)
        split.addWidget(self.text)
        split.setSizes([300, 600])
        split.setChildrenCollapsible(False)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(10, 10, 10, 10)
        whole.addWidget(split)
        self.search.textChanged.connect(self._narrow)
        self.search.returnPressed.connect(self.list.setFocus)
        self.list.currentItemChanged.connect(lambda item, _: self._show(item))
        self._narrow("")

    def show_guide(self, guide: str, about: str = "", section: str = "") -> None:
        """Show a section of a guide, by its English heading or its anchor, or the guide's introduction; `about` is a
        text in front of it, as HTML."""
        self.search.clear()
        items = [item for row in range(self.list.count()) if (item := self.list.item(row)) is not None]
        of_guide = [item for item in items if item.data(_TOPIC).guide == guide]
        of_section = [item for item in of_guide if section in (item.data(_TOPIC).section, item.data(_TOPIC).anchor)]
        wanted = of_section or of_guide
        if wanted:
            self.list.setCurrentItem(wanted[0])
            self._show(wanted[0], about)
        self.show()
        self.raise_()
        self.activateWindow()

    def _narrow(self, words: str) -> None:
        self.list.clear()
        for topic in self._topics:
            if topic.has(words.lower().split()):
                item = QListWidgetItem(topic.title)
                item.setData(_TOPIC, topic)
                item.setToolTip(topic.title)
                self.list.addItem(item)
        if self.list.count():
            self.list.setCurrentRow(0)
        else:
            self.text.setPlainText(tr("No topic has all of these words. Try fewer of them."))

    def _show(self, item: QListWidgetItem | None, about: str = "") -> None:
        if item is None:
            return
        topic: Topic = item.data(_TOPIC)
        inside = [each for each in self._topics if each.guide == topic.guide and each.section and not topic.section]
        self.text.show_text("\n".join((topic.text, *(each.link for each in inside))), about)

    def _follow(self, url: QUrl) -> None:
        """Go to another guide; what is not of the help is only named, never opened."""
        guide = url.path().removesuffix(".md")
        if any(topic.guide == guide for topic in self._topics):
            self.show_guide(guide, section=url.fragment())
        else:
            self.text.setToolTip(url.toString())
