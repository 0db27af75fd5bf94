"""Editors of rules and colour scales in the inspector."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.value_editors import ChoiceEditor, LineEditor, SwitchEditor
from northmoor.core.model.styles import ConditionalFormat

CommitFormats = Callable[[tuple[ConditionalFormat, ...]], object]


class RulesEditor(QWidget):
    """Rules in order: for each its condition, its style, and whether it is the last that is asked where it holds."""

    def __init__(self, rules: Sequence[ConditionalFormat], styles: Sequence[str], commit: CommitFormats) -> None:
        super().__init__()
        self._rules, self._styles, self._commit = tuple(rules), styles, commit
        self._editors: list[tuple[LineEditor, ChoiceEditor, SwitchEditor]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for number, rule in enumerate(rules):
            column.addWidget(self._rule(number, rule))

    def show_value(self, rules: Sequence[ConditionalFormat]) -> None:
        """Show as many other rules."""
        self._rules = tuple(rules)
        for rule, (when, style, stop) in zip(rules, self._editors, strict=True):
            when.show_value(rule.when)
            style.show_value(rule.style)
            stop.show_value(rule.stop)

    def _rule(self, number: int, rule: ConditionalFormat) -> QWidget:
        when = LineEditor(rule.when, lambda text: self._change(number, when=text))
        when.setObjectName("expression")
        when.setAccessibleName(tr("Rule {number}: when").format(number=number + 1))
        when.setToolTip(tr("A condition, such as sum(fares) < 1000"))
        when.setProperty("field", f"rule {number}")
        names = {name: name for name in self._styles}
        style = ChoiceEditor(names, rule.style, lambda name: self._change(number, style=name), tr("no style"))
        style.setAccessibleName(tr("Rule {number}: style").format(number=number + 1))
        style.setToolTip(tr("The style that is added where the condition is true; Styles… makes new ones"))
        stop = SwitchEditor(rule.stop, lambda on: self._change(number, stop=on), "stop")
        stop.setToolTip(tr("Where this rule applies, later rules are skipped"))
        self._editors.append((when, style, stop))
        line = QHBoxLayout()
        line.setSpacing(4)
        line.addWidget(style, 1)
        line.addWidget(stop)
        line.addWidget(self._button("arrow-up", tr("Move it up"), partial(self._move, number, -1)))
        line.addWidget(self._button("x", tr("Remove the condition"), partial(self._take_out, number)))
        both = QWidget()
        column = QVBoxLayout(both)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        column.addWidget(when)
        column.addLayout(line)
        return both

    def _button(self, drawing: str, tip: str, run: Callable[[], None]) -> QToolButton:
        button = QToolButton()
        button.setIcon(icon(drawing))
        button.setToolTip(tip)
        button.setAccessibleName(tip)
        button.clicked.connect(lambda _=False: run())
        return button

    def _change(self, number: int, **changes: Any) -> None:
        self._commit(tuple(r.but(**changes) if n == number else r for n, r in enumerate(self._rules)))

    def _move(self, number: int, by: int) -> None:
        rules = list(self._rules)
        rules.insert(max(number + by, 0), rules.pop(number))
        self._commit(tuple(rules))

    def _take_out(self, number: int) -> None:
        self._commit(tuple(r for n, r in enumerate(self._rules) if n != number))
