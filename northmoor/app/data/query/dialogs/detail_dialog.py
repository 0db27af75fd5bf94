"""Asks how a query is a detail of another."""

from collections.abc import Callable

from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QGridLayout, QLabel, QVBoxLayout, QWidget

from northmoor.app.language.translation import tr
from northmoor.core.model.data.queries import Link, LinkedColumns

_PAIRS = 3
_NONE = "–"


class DetailDialog(QDialog):
    """Chooses the owning query and the columns that must be equal. `columns` gives the columns of a query by name."""

    def __init__(
        self,
        query: str,
        others: list[str],
        columns: Callable[[str], list[str]],
        link: Link | None,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("{query} as a detail").format(query=query))
        self.setMinimumWidth(440)
        self._query, self._columns = query, columns
        self.owner = QComboBox()
        self.owner.setAccessibleName(tr("Master query"))
        self.owner.addItem(tr("no other query"), "")
        for name in others:
            self.owner.addItem(name, name)
        message = QLabel(
            tr("Only rows that belong to a record of the other query are kept. They are fetched once, all together.")
        )
        message.setWordWrap(True)
        message.setObjectName("quiet")
        pairs = QGridLayout()
        pairs.addWidget(QLabel(tr("Master query")), 0, 0)
        pairs.addWidget(self.owner, 0, 1, 1, 2)
        self.pairs: list[tuple[QComboBox, QComboBox]] = []
        for row in range(1, _PAIRS + 1):
            own, other = QComboBox(), QComboBox()
            own.setAccessibleName(tr("Own column {row}").format(row=row))
            other.setAccessibleName(tr("Column of the other {row}").format(row=row))
            pairs.addWidget(QLabel("where" if row == 1 else "and"), row, 0)
            pairs.addWidget(own, row, 1)
            pairs.addWidget(other, row, 2)
            self.pairs.append((own, other))
        self.fault = QLabel()
        self.fault.setObjectName("fault")
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        layout.addWidget(message)
        layout.addLayout(pairs)
        layout.addWidget(self.fault)
        layout.addWidget(buttons)
        self.owner.currentIndexChanged.connect(lambda _: self._fill(None))
        if link is not None:
            self.owner.setCurrentIndex(self.owner.findData(link.query))
        self._fill(link)

    def link(self) -> Link | None:
        """The link that was chosen; None for none."""
        owner = self.owner.currentData()
        pairs = [(own.currentData(), other.currentData()) for own, other in self.pairs]
        chosen = tuple(LinkedColumns(own=own, other=other) for own, other in pairs if own and other)
        return Link(query=owner, columns=chosen) if owner and chosen else None

    def accept(self) -> None:
        """An owner needs a pair of columns."""
        if self.owner.currentData() and self.link() is None:
            self.fault.setText(tr("Choose at least one pair of columns that must be equal."))
            return
        super().accept()

    def _fill(self, link: Link | None) -> None:
        """Offer the columns; those of the same name are the first proposal."""
        owner = self.owner.currentData()
        own_names, others = self._columns(self._query), self._columns(owner) if owner else []
        same = [(name, name) for name in own_names if name in others][:1]
        chosen = [(p.own, p.other) for p in link.columns] if link is not None else same
        for number, (own, other) in enumerate(self.pairs):
            for box, names, at in ((own, own_names, 0), (other, others, 1)):
                box.clear()
                box.addItem(_NONE, "")
                for name in names:
                    box.addItem(name, name)
                if number < len(chosen):
                    box.setCurrentIndex(max(box.findData(chosen[number][at]), 0))
                box.setEnabled(bool(owner))
