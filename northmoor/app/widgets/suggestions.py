"""Values that can be chosen by typing a part of their name: languages, currencies and time zones."""

from collections.abc import Callable, Mapping
from functools import cache

from PyQt6.QtCore import QModelIndex, Qt
from PyQt6.QtGui import QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QCompleter, QLineEdit

from northmoor.core.base.time_zones import known_time_zones

_MOST_SHOWN = 12


@cache
def _locales() -> dict[str, str]:
    """The names of all locales, by their identifiers."""
    from babel import Locale  # its data are read only when something is typed
    from babel.localedata import locale_identifiers

    return {name: Locale.parse(name).english_name or name for name in sorted(locale_identifiers())}


@cache
def _currencies() -> dict[str, str]:
    from babel import Locale
    from babel.numbers import list_currencies

    names = Locale("en").currencies
    return {code: names.get(code, code) for code in sorted(list_currencies())}


@cache
def _time_zones() -> dict[str, str]:
    return {name: name for name in sorted(known_time_zones()) if "/" in name or name == "UTC"}


SUGGESTED: Mapping[str, Callable[[], dict[str, str]]] = {
    "locale": _locales, "currency": _currencies, "time_zone": _time_zones,
}  # fmt: skip
"""The properties that have suggestions: values with their names."""


class SuggestionCompleter(QCompleter):
    """Offers the values of which the code or the name has what is typed; the list is made when it is first needed."""

    def __init__(self, line: QLineEdit, values: Callable[[], dict[str, str]]) -> None:
        super().__init__(line)
        self._values = values
        self.setCaseSensitivity(Qt.CaseSensitivity.CaseInsensitive)
        self.setFilterMode(Qt.MatchFlag.MatchContains)
        self.setMaxVisibleItems(_MOST_SHOWN)
        line.setCompleter(self)
        line.textEdited.connect(lambda _: self.fill())

    def fill(self) -> None:
        """Fill the list, once."""
        if self.model() is None or self.model().rowCount() == 0:
            model = QStandardItemModel(self)
            for value, name in self._values().items():
                item = QStandardItem(value if value == name else f"{value} · {name}")
                item.setData(value, Qt.ItemDataRole.UserRole)
                model.appendRow(item)
            self.setModel(model)

    def pathFromIndex(self, index: QModelIndex) -> str:
        """The value itself, without its name."""
        return str(index.data(Qt.ItemDataRole.UserRole))
