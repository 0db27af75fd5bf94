"""What is done to a style by typing it, such as "style total italic" or "style body 9 pt"."""

import re
from functools import partial
from typing import Any

from northmoor.app.language.translation import tr, words_in_english
from northmoor.app.pages.part_menu.entries import PartCommand
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.model import edits
from northmoor.core.model.lengths import parse_length
from northmoor.core.model.report import Report
from northmoor.core.model.styles import NamedStyle

WORDS_OF_STYLES = {tr("style"): "style", tr("styles"): "styles", tr("bold"): "bold", tr("italic"): "italic"}
TYPED_STYLE = re.compile(
    r"styles?\s+(?P<name>.+?)\s+(?:(?P<flag>bold|italic)|(?P<size>\d{1,3}(?:[.,]\d{1,2})?)\s*pt|(?P<color>#[0-9a-f]{6}))"
)


def typed_style_commands(context: PartContext, text: str) -> list[PartCommand]:
    """What a typed text, in English or the window's language, does to the styles whose names begin so; nothing where it
    says no such thing."""
    typed = TYPED_STYLE.fullmatch(words_in_english(text, WORDS_OF_STYLES))
    if typed is None:
        return []
    named = [style for style in context.report.styles if style.name.lower().startswith(typed["name"])]
    return [_command(context, style, typed) for style in named]


def _command(context: PartContext, style: NamedStyle, typed: re.Match[str]) -> PartCommand:
    if typed["flag"]:
        is_on = bool(getattr(style, typed["flag"]))
        words = {"bold": (tr("bold"), tr("not bold")), "italic": (tr("italic"), tr("not italic"))}[typed["flag"]]
        return _changing(context, style, words[is_on], {typed["flag"]: not is_on})
    if typed["size"]:
        size = f"{typed['size'].replace(',', '.')}pt"
        return _changing(context, style, size, {"size": parse_length(size)})
    return _changing(context, style, typed["color"], {"color": typed["color"]})


def _changing(context: PartContext, style: NamedStyle, words: str, changes: dict[str, Any]) -> PartCommand:
    label = tr("Style {name}: {words}").format(name=style.name, words=words)
    return PartCommand(label, context.edit(label, partial(_change, style=style.name, changes=changes)), "type")


def _change(report: Report, _edition: str, style: str, changes: dict[str, Any]) -> Report:
    return edits.change_style(report, style, **changes)
