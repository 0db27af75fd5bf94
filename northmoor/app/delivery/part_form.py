"""The properties of a part of an order or a format, to be chosen: a line for each, in words."""

from collections.abc import Callable, Mapping
from functools import partial
from types import UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from msgspec import Struct, field
from PyQt6.QtWidgets import QFormLayout, QLabel, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.value_editors import ChoiceEditor, LineEditor, NumberEditor, SwitchEditor, TextEditor
from northmoor.core.model.base import Part

Changed = Callable[[str, Any], object]
_TEXT_HEIGHT = 76


class PropertyWords(Struct, frozen=True):
    """What a property is called, what each of its values is called, what its line says while it is empty, and whether
    it has several lines."""

    label: str
    values: Mapping[Any, str] = field(default_factory=dict)
    empty: str = ""
    is_long: bool = False


class PartForm(QWidget):
    """`changed` is given a property's name and its new value. `model` says what values it can have."""

    def __init__(
        self, model: type[Part], values: Mapping[str, Any], words: Mapping[str, PropertyWords], changed: Changed
    ) -> None:
        super().__init__()
        self.editors: dict[str, QWidget] = {}
        form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        for name, own in words.items():
            editor = _editor(model, name, values[name], own, partial(changed, name))
            editor.setAccessibleName(own.label)
            editor.setToolTip(tr(model.help_of(name)))
            label = QLabel(own.label)
            label.setBuddy(editor)
            form.addRow(label, editor)
            self.editors[name] = editor


def _editor(model: type[Part], name: str, value: Any, words: PropertyWords, commit: Callable[[Any], object]) -> QWidget:
    known = model.model_fields[name]
    kind, is_optional = _kind(known.annotation)
    if get_origin(kind) is Literal:
        return ChoiceEditor({each: words.values[each] for each in get_args(kind)}, value, commit, None)
    if kind is bool:
        return SwitchEditor(value, commit)
    if kind is int and not is_optional:
        limits = {end: getattr(each, end) for each in known.metadata for end in ("ge", "le") if hasattr(each, end)}
        return NumberEditor(value, commit, (limits["ge"], limits["le"]))

    if words.is_long:
        text = TextEditor(value, commit)
        text.setFixedHeight(_TEXT_HEIGHT)
        return text
    is_list = get_origin(kind) is tuple
    shown = ", ".join(value) if is_list else "" if value is None else str(value)
    line = LineEditor(shown, lambda typed: commit(_read(typed, is_list, is_optional)))
    line.setPlaceholderText(words.empty)
    return line


def _kind(annotation: Any) -> tuple[Any, bool]:
    """What a property holds, and whether it may hold nothing."""
    if get_origin(annotation) in (Union, UnionType):
        kinds = [each for each in get_args(annotation) if each is not type(None)]
        kind = kinds[0]
        return (get_args(kind)[0] if get_origin(kind) is Annotated else kind), True
    return annotation, False


def _read(typed: str, is_list: bool, is_optional: bool) -> Any:
    """What was typed; the model reads numbers, and says what does not fit."""
    if is_list:
        return tuple(part.strip() for part in typed.split(",") if part.strip())
    return typed.strip() or None if is_optional else typed
