"""A form of the inspector: titles, sections and editors of a part's properties, each change one edit of the desk."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QWidget

from northmoor.app.document_controller import DocumentController, ReportEdit
from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.pages.inspector.border_editor import EDGES, BorderEditor
from northmoor.app.pages.inspector.form_rows import FormRow, button_row, menu_row, section_row, words_row
from northmoor.app.pages.inspector.format_rule_editors import RulesEditor
from northmoor.app.pages.inspector.picture_file_editor import PictureFileEditor
from northmoor.app.widgets.color_editor import WHITE, ColorOffers, RecentColors
from northmoor.app.widgets.property_editors import RARE, described, editor_for, property_label, property_text
from northmoor.app.widgets.value_editors import Commit
from northmoor.core.authoring.report_colors import report_colors
from northmoor.core.model import edits
from northmoor.core.model.base import Part
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.edits import remove_blocks
from northmoor.core.model.pages import PageSetup, PicturePiece
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ColorScale, ConditionalFormat, NamedStyle, Style, style_chain

LOOK_FIELDS = tuple(Style.model_fields)


class InspectorForm:
    """Collects the rows of a form, from its top. `refused` is called when an edit was refused, to show what holds."""

    def __init__(self, controller: DocumentController, refused: Callable[[], object]) -> None:
        self.controller = controller
        self.refused = refused
        self.rows: list[FormRow] = []
        self.before_look: Callable[[], object] | None = None
        """What is shown once, before the first section of looks or at the end."""
        self.seen_with: dict[str, str] = {}
        """For the colours of a look, those that they are seen with: of the text its background, and the reverse."""

    def show_waiting(self) -> None:
        """Show what waits for the looks."""
        waiting, self.before_look = self.before_look, None
        if waiting is not None:
            waiting()

    @staticmethod
    def block_change(block: str) -> Callable[..., ReportEdit]:
        """What changes properties of a block."""

        def change(**changes: Any) -> ReportEdit:
            return lambda r, e: edits.change_block(r, e, block, **changes)

        return change

    def edit(self, label: str, change: ReportEdit) -> None:
        """Make a change."""
        if not self.controller.edit(label, change):
            self.refused()

    def title(self, text: str) -> None:
        """What the form is about."""
        self.rows.append(words_row("name", text))

    def note(self, text: str) -> None:
        """A sentence."""
        self.rows.append(words_row("quiet", text))

    def section(self, text: str) -> None:
        """Begin a section: What, Where or Look."""
        if text == tr("Appearance"):
            self.show_waiting()
        self.rows.append(section_row(text))

    def properties(
        self, kind: type[Part], part: Part, fields: Sequence[str], label: str, change: Callable[..., ReportEdit]
    ) -> None:
        """An editor for each of some properties of a part."""
        for field in fields:
            self.property(kind, part, field, partial(self._commit, label, change, field))

    def _commit(self, label: str, change: Callable[..., ReportEdit], field: str, value: Any) -> None:
        self.edit(label, lambda r, e: change(**{field: value})(r, e))  # made within the edit, which tells refusals

    def edit_report(self, name: str, value: Any) -> None:
        """Change a property of the report itself."""
        self.edit(
            tr("Change the {name}").format(name=in_sentence(property_label(name))),
            lambda r, _: r.but(**{name: value}),
        )

    def property(
        self,
        kind: type[Part],
        part: Part,
        field: str,
        commit: Callable[[Any], object],
        choices: list[str] | None = None,
        inherited: str | None = None,
    ) -> None:
        """An editor for a property; `choices` are names to choose from, `inherited` says what holds without a value."""
        value = getattr(part, field)
        key = (kind, field, tuple(choices) if choices is not None else None)
        make = partial(_property_editor, kind, field, value, choices)
        is_rare = field in RARE and value == kind.model_fields[field].default and (kind, field) != (Report, "currency")
        row = FormRow(key, make, value, commit, is_rare=is_rare, inherited=inherited)
        self.labelled(property_label(field, kind), row)

    def labelled(self, name: str, row: FormRow) -> None:
        """An editor with its name."""
        self.rows.append(row.named(name))

    def wide(self, row: FormRow) -> None:
        """An editor over the whole width."""
        self.rows.append(row)

    def style(self, report: Report, part: Part, field: str, label: str, change: Callable[..., ReportEdit]) -> None:
        """The choice of one of the report's styles."""
        names = [style.name for style in report.styles]
        self.property(type(part), part, field, lambda v: self.edit(label, change(**{field: v})), names)

    def looks(
        self, report: Report, part: Any, label: str, change: Callable[..., ReportEdit], over: Sequence[str | None] = ()
    ) -> None:
        """The section of a part's style, its rules, and its own changes over the style and those of what it is in,
        innermost first."""
        self.section(tr("Appearance"))
        self.style(report, part, "style", label, change)
        if hasattr(part, "rules"):
            self.rules(report, part.rules, change)
        if hasattr(part, "scale"):
            self._scale(part.scale, change)

        def change_look(**changes: Any) -> ReportEdit:
            return change(look=edits.changed_style(part.look, **changes))

        self.section(tr("Overrides"))
        chain = [style for name in (*reversed(over), part.style) for style in style_chain(report.styles, name)]
        self.look_properties(part.look or Style(), chain, label, change_look)

    def look_properties(
        self, look: Style | NamedStyle, chain: Sequence[NamedStyle], label: str, change: Callable[..., ReportEdit]
    ) -> None:
        """The properties of a look; those that it does not set are those of the last style of a chain that does."""
        for field in LOOK_FIELDS:
            if field == EDGES[0]:
                self._borders(look, chain, label, change)
            commit = partial(self._commit, label, change, field)
            self.property(type(look), look, field, commit, inherited=_origin(chain, field))
        self._show_seen_with((*chain, look))

    def _show_seen_with(self, looks: Sequence[Style | NamedStyle]) -> None:
        """Measure the contrast of colours by some looks, the last of which holds first."""

        def held(field: str, otherwise: str) -> str:
            return next((found for look in reversed(looks) if (found := getattr(look, field)) is not None), otherwise)

        self.seen_with = {"color": held("fill", WHITE), "fill": held("color", "#000000")}

    def color_offers(self, recent: RecentColors, field: str) -> ColorOffers:
        """What is offered with the colour of a property: the report's colours and those chosen last."""
        report = self.controller.report
        own = report_colors(report) if report is not None else []
        return ColorOffers(own, recent, self.seen_with.get(field, WHITE))

    def _borders(
        self, look: Style | NamedStyle, chain: Sequence[NamedStyle], label: str, change_look: Callable[..., ReportEdit]
    ) -> None:
        """A picture of a cell's borders; those that the look does not set are those of the styles."""
        looks = (*chain, look)
        shown = {
            edge: next((own for style in reversed(looks) if (own := getattr(style, edge)) is not None), None)
            for edge in EDGES
        }

        def commit(changed: tuple[str, int]) -> None:
            self._commit(label, change_look, *changed)

        self.labelled(tr("Borders"), FormRow(("borders",), lambda change: BorderEditor(shown, change), shown, commit))

    def rules(self, report: Report, rules: tuple[ConditionalFormat, ...], change: Callable[..., ReportEdit]) -> None:
        """The conditions that change a look."""
        names = [style.name for style in report.styles]
        if rules:
            self.wide(
                FormRow(
                    ("rules", len(rules), tuple(names)),
                    lambda commit: RulesEditor(rules, names, commit),
                    rules,
                    lambda new: self.edit(tr("Change the rules"), change(rules=new)),
                )
            )
        first = next((name for name in names if name in ("emphasis", "total", "heading")), None)
        added = ConditionalFormat(when="false", style=first)  # it changes nothing until it says when
        self.action(tr("Add a condition"), change(rules=(*rules, added)), "plus")

    def _scale(self, scale: ColorScale | None, change: Callable[..., ReportEdit]) -> None:
        if scale is None:
            self.action(tr("Add a colour scale"), change(scale=ColorScale()), "plus")
            return

        def change_scale(**changes: Any) -> ReportEdit:
            return change(scale=scale.but(**changes))

        self.section(tr("Colour scale"))
        self.properties(ColorScale, scale, tuple(ColorScale.model_fields), tr("Change the scale"), change_scale)
        self.action(tr("Remove the colour scale"), change(scale=None))

    def action(self, text: str, change: ReportEdit, drawing: str = "trash-2") -> None:
        """A button that makes a change."""
        self.rows.append(button_row(text, drawing, lambda: self.edit(text, change)))

    def take_out(self, block: str, text: str = tr("Remove")) -> None:
        """A button that takes a block out."""
        self.action(text, lambda r, e: remove_blocks(r, e, [block]))

    def choices(self, text: str, drawing: str, changes: Sequence[tuple[str, ReportEdit]]) -> None:
        """A button that offers several changes by name."""
        entries = [(name, partial(self.edit, f"{text}: {name}", change)) for name, change in changes]
        self.rows.append(menu_row(text, drawing, entries))


def _origin(chain: Sequence[NamedStyle], field: str) -> str:
    """What holds for a property of a look that is not set: the value of the nearest style that sets it."""
    found = next((style for style in reversed(chain) if getattr(style, field) is not None), None)
    if found is None:
        return "automatic"
    return tr("{shown}, from {style}").format(
        shown=property_text(Style, field, getattr(found, field)), style=found.name
    )


def _property_editor(kind: type[Part], field: str, value: Any, choices: list[str] | None, commit: Commit) -> QWidget:
    if (kind, field) in _PICTURE_FILES:
        return described(
            PictureFileEditor(value, commit, optional=kind.model_fields[field].default is None), kind, field
        )
    return editor_for(kind, field, value, commit, choices)


_PICTURE_FILES = {(PictureBlock, "file"), (PicturePiece, "file"), (PageSetup, "background")}
"""Properties that are chosen by what they look like."""
