"""The form of one parameter, or of one computed value: every property, each change one step that can be undone."""

from collections.abc import Callable, Mapping
from typing import Any

from PyQt6.QtWidgets import QComboBox, QFormLayout, QFrame, QLabel, QSizePolicy, QWidget

from northmoor.app.language.period_text import shown_period, typed_period
from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.parameters.choice_editors import FixedChoices, PickedColumn
from northmoor.app.parameters.control_base import NO, YES, value_text
from northmoor.app.widgets.value_editors import ChoiceEditor, LineEditor, SwitchEditor, TextEditor
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, VALUE_KINDS
from northmoor.core.model.parameters import (
    AllChoices,
    Choice,
    ChoicesFrom,
    Default,
    FromExpression,
    FromQuery,
    NamedValue,
    Parameter,
    Scalar,
)
from northmoor.core.model.report import Report

Columns = Callable[[str], list[str]]
"""The columns of a query by its name, as far as they are known."""
ChangeProperty = Callable[[str, Any], object]
"""Changes a property, by its name, to a value."""
HOLDS = {"one": tr("One value"), "list": tr("A list of values"), "range": tr("A range, from one to another")}
CONTROL_LABELS = {"field": tr("Field"), "stepper": tr("Stepper"), "calendar": tr("Calendar"), "switch": tr("Switch"),
            "drop_down": tr("Drop-down list"), "toggles": tr("Row of toggles"),
            "ticks": tr("Searchable list with ticks"),
            "lines": tr("Text, one value per line"), "period": tr("Range with periods"),
            "ends": tr("Two fields")}  # fmt: skip


class PropertyRows(QFrame):
    """Rows of properties. `change` commits one."""

    def __init__(self, report: Report, columns: Columns, change: ChangeProperty) -> None:
        super().__init__()
        self.report, self.columns, self.change = report, columns, change
        self.rows = QFormLayout(self)
        self.rows.setContentsMargins(14, 10, 14, 12)
        self.rows.setHorizontalSpacing(12)
        self.rows.setVerticalSpacing(6)
        self.rows.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.ExpandingFieldsGrow)

    def add(self, label: str, field: str, editor: QWidget, tip: str) -> QWidget:
        """Add a property's row."""
        editor.setProperty("field", field)
        editor.setAccessibleName(label)
        editor.setToolTip(tip)
        if isinstance(editor, QComboBox):
            editor.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        name = QLabel(label)
        name.setObjectName("quiet")
        name.setBuddy(editor)
        self.rows.addRow(name, editor)
        return editor

    def section(self, text: str) -> None:
        """Add a section's title."""
        title = QLabel(text)
        title.setObjectName("section")
        self.rows.addRow(title)

    def text(self, label: str, field: str, value: str | None, tip: str, is_code: bool = False) -> LineEditor:
        """Add a line of text; an empty one is none."""
        line = LineEditor(value or "", lambda text: self.change(field, text.strip() or None))
        self.add(label, field, line, tip)
        line.setObjectName("expression" if is_code else "")
        return line

    def query_and_column(
        self, label: str, field: str, query: str, column: str | None, commit: Callable[[str, str], object]
    ) -> None:
        """Add a query and one of its columns."""
        names = [q.name for q in self.report.queries]
        picked = PickedColumn(names, self.columns, query, column or "", commit)
        self.add(label, field, picked, tr("The query, and its column"))


class NamedValueForm(PropertyRows):
    """The form of a computed value."""

    def __init__(self, value: NamedValue, report: Report, columns: Columns, change: ChangeProperty) -> None:
        super().__init__(report, columns, change)
        tip = tr("The name, without the colon; it is changed wherever it is used")
        self.add(tr("Name"), "name", LineEditor(value.name, lambda text: change("name", text.strip())), tip)
        self.text(tr("Note"), "hint", value.hint, tr("A note for report developers"))
        source = value.value
        forms = {"expression": tr("An expression"), "query": tr("A query of one row")}
        now = "expression" if isinstance(source, FromExpression) else "query"
        self.add(
            tr("Source"),
            "source",
            ChoiceEditor(forms, now, self._turn, None),
            tr("The expression or query that it comes from"),
        )
        if isinstance(source, FromExpression):
            line = LineEditor(source.expression, lambda t: change("value", FromExpression(expression=t)))
            self.add(
                tr("Expression"), "value", line, tr("Over other parameters, or totals of queries: max(fares.month)")
            )
            line.setObjectName("expression")
        else:
            self.query_and_column(
                tr("Query"), "value", source.query, source.column,
                lambda query, column: change("value", FromQuery(query=query, column=column)),
            )  # fmt: skip

    def _turn(self, form: str) -> None:
        first = self.report.queries[0].name if self.report.queries else ""
        columns = self.columns(first) if first else []
        made = FromQuery(query=first, column=columns[0] if columns else "") if form == "query" else None
        self.change("value", made or FromExpression(expression="1"))


class ParameterForm(PropertyRows):
    """The form of a parameter."""

    def __init__(
        self,
        parameter: Parameter,
        report: Report,
        columns: Columns,
        narrowing: Mapping[str, str],
        change: ChangeProperty,
    ) -> None:
        super().__init__(report, columns, change)
        self.parameter, self._narrowing = parameter, narrowing
        self._what()
        self._list()
        self._default()
        self._limits()

    def _what(self) -> None:
        own, change = self.parameter, self.change
        tip = tr("The name, without the colon; it is changed wherever it is used")
        self.add(tr("Name"), "name", LineEditor(own.name, lambda text: change("name", text.strip())), tip)
        self.text(tr("Label"), "label", own.label, tr("Its name in the parameter bar"))
        self.text(tr("Help text"), "hint", own.hint, tr("A sentence of help for readers"))
        kinds = {kind.name: tr(kind.label) for kind in VALUE_KINDS if own.holds != "range" or kind.is_ordered}
        self.add(
            tr("Kind"), "kind", ChoiceEditor(kinds, own.kind, lambda k: change("kind", k), None), tr("Kind of value")
        )
        holds = ChoiceEditor(HOLDS, own.holds, lambda h: change("holds", h), None)
        self.add(tr("Holds"), "holds", holds, tr("One value, several, or a range"))
        controls = {name: CONTROL_LABELS[name] for name in own.controls}
        fitting = tr("By its kind ({control})").format(control=in_sentence(CONTROL_LABELS[own.controls[0]]))
        control = ChoiceEditor(controls, own.control, lambda c: change("control", c), fitting)
        self.add(tr("Control"), "control", control, tr("The control that readers use"))
        switch = SwitchEditor(own.required, lambda on: change("required", on))
        self.add(tr("Required"), "required", switch, tr("Whether it may be left empty"))

    def _list(self) -> None:
        own = self.parameter
        if own.holds == "range":
            return
        self.section(tr("List to choose from"))
        forms = {"none": tr("No list: any value"), "fixed": tr("A fixed list"), "query": tr("From a query")}
        now = "query" if own.choices_from is not None else "fixed" if own.choices else "none"
        self.add(tr("List"), "list", ChoiceEditor(forms, now, self._turn_list, None), tr("What readers can choose"))
        if own.choices:
            table = FixedChoices(own.choices, lambda choices: self.change("choices", choices))
            self.add(tr("Entries"), "choices", table, tr("The value that queries get, and what readers see"))
        if own.choices_from is not None:
            self._list_from(own.choices_from)

    def _list_from(self, source: ChoicesFrom) -> None:
        def commit(query: str, column: str) -> None:
            label = source.label if query == source.query else None
            self.change("choices_from", ChoicesFrom(query=query, value=column, label=label))

        self.query_and_column(tr("Values"), "choices_from", source.query, source.value, commit)
        names = {name: name for name in self.columns(source.query)}
        if source.label:
            names.setdefault(source.label, source.label)
        label = ChoiceEditor(
            names,
            source.label,
            lambda name: self.change("choices_from", source.but(label=name)),
            tr("The values themselves"),
        )
        self.add(tr("Labels"), "choices_label", label, tr("Column with what readers see"))
        if self._narrowing:
            others = {each.name: each.shown_name for each in self.report.parameters if each.name in self._narrowing}
            narrow = ChoiceEditor(others, None, lambda name: self.change("narrowed_by", name), tr("Choose one…"))
            self.add(tr("Narrow by"), "narrowed_by", narrow, tr("The list shows only what goes with its value"))

    def _turn_list(self, form: str) -> None:
        first = self.report.queries[0].name if self.report.queries else None
        if form == "query" and first is None:
            return
        made: dict[str, Any] = {"choices": (), "choices_from": None}
        if form == "fixed":
            value = KIND_OF_NAME[self.parameter.kind].first_choice
            made["choices"] = (Choice(value=value, label=tr("First choice")),)
        elif form == "query" and first is not None:
            columns = self.columns(first)
            made["choices_from"] = ChoicesFrom(query=first, value=columns[0] if columns else "value")
        if isinstance(self.parameter.default, AllChoices) and form == "none":
            made["default"] = None
        self.change("list", made | {"control": None})

    def _default(self) -> None:
        own = self.parameter
        self.section(tr("When none is given"))
        forms = {
            "none": tr("Nothing"),
            "value": tr("A value"),
            "expression": tr("An expression"),
            "query": tr("From a query"),
        }
        if own.holds == "list" and own.has_list:
            forms["all"] = tr("All of the list")
        box = ChoiceEditor(forms, _form_of(own.default), self._turn_default, None)
        self.add(tr("Default"), "default_form", box, tr("The value used when none is given"))
        default = own.default
        if isinstance(default, FromExpression):
            line = LineEditor(default.expression, lambda t: self.change("default", FromExpression(expression=t)))
            self.add(tr("Expression"), "default", line, tr("Such as make_date(:year, 1, 1) or max(fares.month)"))
            line.setObjectName("expression")
        elif isinstance(default, FromQuery):
            self.query_and_column(
                tr("Query"), "default", default.query, default.column,
                lambda query, column: self.change("default", FromQuery(query=query, column=column)),
            )  # fmt: skip
        elif default is not None and not isinstance(default, AllChoices):
            self._values(tr("Value"), "default", default, tr("Days in words too, such as last full month"))
        self._values(
            tr("Design value"),
            "sample",
            own.sample,
            tr("Used in this window in place of what the calling program gives"),
        )

    def _values(self, label: str, field: str, value: Any, tip: str) -> None:
        """Add a value as it is typed; those of a list have a line each."""
        if self.parameter.holds == "list":
            listed = value if isinstance(value, tuple) else () if value is None else (value,)
            text = "\n".join(self._text(entry) for entry in listed)
            editor: QWidget = TextEditor(text, lambda t: self.change(field, self._typed_list(t)))
            editor.setProperty("placeholderText", tr("One value per line"))
        else:
            editor = LineEditor(self._text(value), lambda t: self.change(field, self._typed(t)))
        self.add(label, field, editor, tip)

    def _typed(self, text: str) -> Scalar | None:
        """A typed text as files hold values of the kind; what is not one is kept, and reported where it is used."""
        text = text.strip()
        if not text:
            return None
        if self.parameter.kind == "integer" and text.lstrip("+-").isdigit():
            return int(text)
        if self.parameter.kind == "boolean" and text.lower() in (YES, NO, "yes", "no", "true", "false"):
            return text.lower() in (YES, "yes", "true")
        return typed_period(text) if self.parameter.kind in ("date", "timestamp") else text

    def _text(self, value: Any) -> str:
        """A value as it is typed, days in words in the language of the window."""
        is_words = isinstance(value, str) and self.parameter.kind in ("date", "timestamp")
        return shown_period(value) if is_words else value_text(value)

    def _typed_list(self, text: str) -> tuple[Scalar, ...] | None:
        typed = (self._typed(line) for line in text.split("\n"))
        return tuple(value for value in typed if value is not None) or None

    def _turn_default(self, form: str) -> None:
        first = self.report.queries[0].name if self.report.queries else None
        columns = self.columns(first) if first else []
        made: dict[str, Default] = {"none": None, "all": AllChoices(), "expression": FromExpression(expression="1")}
        kind = KIND_OF_NAME[self.parameter.kind]
        made["value"] = kind.default if kind.is_moment else 1
        if self.parameter.holds == "range":
            made["value"] = tr("this month") if kind.is_moment else "0/100"
        elif self.parameter.choices:
            made["value"] = self.parameter.choices[0].value
        if form == "query" and first is not None:
            made["query"] = FromQuery(query=first, column=columns[0] if columns else "value")
        default = made.get(form)
        self.change("default", (default,) if form == "value" and self.parameter.holds == "list" else default)

    def _limits(self) -> None:
        own = self.parameter
        if own.kind != "text" and not KIND_OF_NAME[own.kind].is_ordered:
            return
        self.section(tr("Limits"))
        if own.kind == "text":
            self.text(
                tr("Pattern"), "pattern", own.pattern, tr("A regular expression that the whole text must match"), True
            )
            for label, field, value in (
                (tr("Minimum length"), "minimum_length", own.minimum_length),
                (tr("Maximum length"), "maximum_length", own.maximum_length),
            ):
                line = LineEditor(str(value or ""), lambda t, f=field: self.change(f, int(t) if t.isdigit() else None))  # type: ignore[misc]
                self.add(label, field, line, tr("How many characters the text has"))
            return
        for label, field, limit in (
            (tr("Minimum"), "minimum_value", own.minimum_value),
            (tr("Maximum"), "maximum_value", own.maximum_value),
        ):
            line = LineEditor(value_text(limit), lambda t, f=field: self.change(f, self._typed(t)))  # type: ignore[misc]
            self.add(label, field, line, tr("Dates in words too, such as today"))


def _form_of(default: Default) -> str:
    if default is None:
        return "none"
    forms = {FromExpression: "expression", FromQuery: "query", AllChoices: "all"}
    return next((form for kind, form in forms.items() if isinstance(default, kind)), "value")
