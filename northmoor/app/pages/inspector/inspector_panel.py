"""The inspector: What, Where and Look of the selected part."""

from collections.abc import Callable, Mapping
from functools import partial
from typing import Any

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from northmoor.app.document_controller import DocumentController, ReportEdit, Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.editing.expression_checker import ExpressionChecker
from northmoor.app.pages.editing.expression_context import Enlarge
from northmoor.app.pages.editing.larger_editor_key import LargerEditorKey
from northmoor.app.pages.editing.rich_text_editor import RichTextEditor
from northmoor.app.pages.inspector.block_forms import (
    name_line,
    show_for_each,
    show_frame,
    show_grid,
    show_grid_cell,
    show_join_keys,
    show_place,
    show_simple_block,
)
from northmoor.app.pages.inspector.chart_forms import show_chart, show_chart_level, show_chart_measure
from northmoor.app.pages.inspector.form import InspectorForm
from northmoor.app.pages.inspector.form_body import FormArea
from northmoor.app.pages.inspector.form_rows import FormRow
from northmoor.app.pages.inspector.matrix_forms import show_matrix, show_matrix_level, show_measure
from northmoor.app.pages.inspector.picture_file_editor import PictureFileEditor
from northmoor.app.pages.inspector.table_forms import show_cell, show_level, show_row, show_table
from northmoor.app.widgets.color_editor import RecentColors
from northmoor.app.widgets.value_editors import Commit, LineEditor
from northmoor.app.widgets.word_completer import WordCompleter
from northmoor.core.authoring.completions import Completion
from northmoor.core.authoring.expression_check import KnownNames
from northmoor.core.model import edits
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.text import TabStop, TextBlock, TextRun
from northmoor.core.model.pages import PageSetup, Running, RunningLine, Watermark
from northmoor.core.model.report import Report
from northmoor.core.model.styles import Style

EXPRESSIONS = ("value", "by", "order_by")
"""Properties that are expressions over the rows of the selected block."""
CONDITIONS = ("visible", "keep_rows", "keep_groups")
"""Those that have to say yes or no; so have the rules of conditional formats."""
_Show = Callable[[InspectorForm, Report, str, Selection], None]


class InspectorPanel(FormArea):
    """Shows the properties of what is selected; each change is one edit of the desk."""

    def __init__(self, controller: DocumentController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Inspector"))
        self._controller = controller
        self.styles_of = lambda: controller.report.styles if controller.report is not None else ()
        self.completions: Callable[[], list[Completion]] = list
        """What can be written in an expression of the selected part."""
        self.known_names: Callable[[], KnownNames] = KnownNames
        """The names that it can use."""
        self.enlarge: Enlarge = lambda *_: None
        """Opens a larger editor of an expression."""
        self.recent_colors = RecentColors()
        self.offer_pictures: Callable[[PictureFileEditor], object] = lambda _: None
        """Lets an editor offer the library's pictures."""
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search properties (/)"))
        self.search.setAccessibleName(tr("Search properties"))
        self.search.setToolTip(tr("Show only the properties that have these words; Esc shows all"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(self.show_fitting)
        self.search.installEventFilter(self)
        self._shown: tuple[Report | None, str | None, Selection] | None = None
        controller.selected.connect(lambda _: self._follow())
        controller.changed.connect(self._follow)
        controller.edition_chosen.connect(self._follow)

    def _follow(self) -> None:
        """Show what is selected, if it is not shown: a change and a choice may be announced for one step."""
        now = (self._controller.report, self._controller.edition_name, self._controller.selection)
        if self._shown is None or self._shown[0] is not now[0] or self._shown[1:] != now[1:]:
            self.refresh()

    def refresh(self) -> None:
        """Show the selected part as it is now."""
        form = InspectorForm(self._controller, self.refresh)
        report, edition = self._controller.report, self._controller.edition
        self._shown = (report, self._controller.edition_name, self._controller.selection)
        if report is not None and edition is not None:
            _show(form, report, edition.name, self._controller.selection)
        self.show_rows(form.rows, partial(form.color_offers, self.recent_colors))

    def equip(self, body: QWidget) -> None:
        """Give new editors what they complete, check and offer."""
        super().equip(body)
        for line in body.findChildren(LineEditor, "expression"):
            WordCompleter(line, lambda: self.completions())
            field = str(line.property("field"))
            is_condition = field in CONDITIONS or field.startswith("rule ")
            if is_condition or field in EXPRESSIONS:
                ExpressionChecker(line, lambda: self.known_names(), is_condition=is_condition)
                LargerEditorKey(line, lambda *asked: self.enlarge(*asked), is_condition)
        for picture in body.findChildren(PictureFileEditor):
            self.offer_pictures(picture)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Esc in the search shows all properties; Enter goes to the first that was found."""
        if watched is self.search and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() == Qt.Key.Key_Escape:
                self.search.clear()
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.edit_first()
                return True
        return super().eventFilter(watched, event)

    def edit_property(self, field: str) -> None:
        """Put the keyboard into a property; one that is not shown now is searched."""
        body = self.widget()
        editors = [each for each in body.findChildren(QWidget) if each.property("field") == field] if body else []
        for editor in editors[:1]:
            if not editor.isVisible():
                self.search.setText(editor.accessibleName())
            editor.setFocus()
            if isinstance(editor, PictureFileEditor):
                editor.choose()

    def edit_first(self) -> None:
        """Put the keyboard into the first property."""
        body = self.widget()
        for editor in body.findChildren(QWidget) if body else []:
            if editor.property("field") and (not self.search.text() or editor.isVisible()):
                editor.setFocus()
                return


def _show(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    try:
        if selection.kind not in _PARTS:
            form.before_look = partial(_show_around, form, report, edition, selection.block)
        _form_of(selection.kind)(form, report, edition, selection)
        form.show_waiting()
    except (KeyError, IndexError, StopIteration, ValueError):
        form.note(tr("What was selected is no longer part of the edition. Choose something in Contents."))


def _form_of(kind: str) -> _Show:
    """The form of a kind of part; a block without one of its own is shown by its properties."""
    return _FORMS.get(kind, show_simple_block) if kind in BLOCK_TYPE_OF_KIND else _FORMS[kind]


def _show_around(form: InspectorForm, report: Report, edition: str, block: str) -> None:
    """What a block is to those around it: which rows of a record it shows, and its place in a frame."""
    show_join_keys(form, report, edition, block)
    show_place(form, report, edition, block)


def show_page(form: InspectorForm, report: Report, edition: str, _: Selection) -> None:
    found = report.edition(edition)
    assert found is not None
    form.title(tr("Page setup"))

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_edition(r, e, page=_edition_page(r, e).but(**changes))

    form.section(tr("Content"))
    form.property(Report, report, "title", lambda v: form.edit(tr("Change the title"), lambda r, _e: r.but(title=v)))
    if len(report.editions) > 1:
        form.property(Report, report, "shown_edition", partial(form.edit_report, "shown_edition"))
    for name in ("author", "subject", "keywords"):
        form.property(
            Report,
            report,
            name,
            lambda v, name=name: form.edit_report(name, v or ""),  # type: ignore[misc]  # each its own
        )
    form.section(tr("Layout"))
    form.properties(PageSetup, found.page, _of_paper(found.page), tr("Change the page"), change)
    for name in ("header", "footer"):
        if getattr(found, name) is None:
            form.action(tr("Add a {name}").format(name=tr(name)), partial(_add_running, name), "plus")
    if found.watermark is None:
        form.action(tr("Add a watermark"), lambda r, e: edits.change_edition(r, e, watermark=Watermark()), "plus")
    form.section(tr("Appearance"))
    shown = ("background",) if found.page.background is None else ("background", "background_on")
    form.properties(PageSetup, found.page, shown, tr("Change the background"), change)
    for name in ("locale", "currency", "time_zone"):
        form.property(
            Report,
            report,
            name,
            partial(form.edit_report, name),
        )


def _of_paper(page: PageSetup) -> tuple[str, ...]:
    """The properties of a page's paper that say something as it is."""
    own = ("width", "height") if page.size == "custom" else ()
    gaps = ("column_gap",) if page.columns > 1 else ()
    labels = ("row_gap", "fill_first") if page.rows > 1 else ()
    margins = ("margin_top", "margin_right", "margin_bottom", "margin_left")
    return ("size", *own, "orientation", *margins, "columns", *gaps, "rows", *labels)


def _add_running(name: str, report: Report, edition: str) -> Report:
    text = "{report_title()}" if name == "header" else tr("Page {page_number(); 0} of {page_count(); 0}")
    return edits.add_running_line(report, edition, name, text)


def show_watermark(form: InspectorForm, report: Report, edition: str, _: Selection) -> None:
    """What is behind the pages."""
    found = report.edition(edition)
    if found is None or found.watermark is None:
        raise KeyError("watermark")
    own = found.watermark

    def change(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_edition(r, e, watermark=own.but(**changes))

    def change_look(**changes: Any) -> ReportEdit:
        return change(look=edits.changed_style(own.look, **changes))

    form.title(tr("Watermark"))
    form.section(tr("Content"))
    form.properties(Watermark, own, ("text",), tr("Change the watermark"), change)
    form.section(tr("Layout"))
    form.properties(Watermark, own, ("visible", "turned"), tr("Change the watermark"), change)
    form.section(tr("Appearance"))
    names = ("font", "size", "color", "bold", "italic")
    form.properties(Style, own.look or Style(), names, tr("Change the watermark"), change_look)
    form.action(tr("Remove"), lambda r, e: edits.change_edition(r, e, watermark=None))


def show_running(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    found = report.edition(edition)
    running: Running | None = getattr(found, selection.kind)
    if running is None:
        raise KeyError(selection.kind)
    form.title(tr("Page {name}").format(name=tr(selection.kind)))
    if selection.column is None:
        form.section(tr("Layout"))

        def change(**changes: Any) -> ReportEdit:
            return lambda r, e: edits.change_edition(
                r, e, **{selection.kind: getattr(r.edition(e), selection.kind).but(**changes)}
            )

        form.properties(
            Running, running, ("gap", "rule"), tr("Change the {kind}").format(kind=tr(selection.kind)), change
        )
        form.action(tr("Add a line"), lambda r, e: edits.add_running_line(r, e, selection.kind, "Text"), "plus")
        return
    at, piece = selection.column, running.piece_at(selection.column)
    if piece is None:
        raise KeyError(at)

    def change_piece(**changes: Any) -> ReportEdit:
        return lambda r, e: edits.change_piece(r, e, selection.kind, at, piece.but(**changes))

    form.section(tr("Content"))
    what = tr("Change the {kind}").format(kind=tr(selection.kind))
    names = ("text",) if piece.kind == "text" else ("file", "height")
    form.properties(type(piece), piece, names, what, change_piece)
    number = int(at.partition(".")[0])
    form.section(tr("Layout"))
    form.properties(
        RunningLine, running.lines[number], ("on", "of"), what,
        lambda **changes: lambda r, e: edits.change_running_line(r, e, selection.kind, number, **changes),
    )  # fmt: skip
    if piece.kind == "text":
        form.looks(report, piece, what, change_piece)
    form.action(tr("Remove"), lambda r, e: edits.change_piece(r, e, selection.kind, at, None))


def show_text(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    block: TextBlock = edits.block_of(report, edition, selection.block)
    change = form.block_change(selection.block)
    form.title(tr("Text · {name}").format(name=block.name))
    form.section(tr("Content"))
    name_line(form, block)
    styles = [style.name for style in report.styles]

    def make(commit: Commit) -> QWidget:
        return RichTextEditor(block, styles, lambda text, runs: commit((text, runs)))

    def change_runs(new: tuple[str, tuple[TextRun, ...]]) -> None:
        form.edit(tr("Change the text"), change(text=new[0], runs=new[1]))

    form.wide(FormRow((tr("rich text"), block.name, tuple(styles)), make, block, change_runs))
    step = ("heading",) if block.listed == "contents" else ()
    form.properties(TextBlock, block, ("marker", "link", "listed", *step), tr("Change the text"), change)
    show_tabs(form, block, change)
    form.section(tr("Layout"))
    form.properties(TextBlock, block, ("space_after", "stays_with_next", "visible"), tr("Change the text"), change)
    form.looks(report, block, tr("Change the appearance"), change)
    form.take_out(selection.block, tr("Remove"))


def show_tabs(form: InspectorForm, block: TextBlock, change: Callable[..., ReportEdit]) -> None:
    """The tab stops of a text."""
    for number, tab in enumerate(block.tabs):
        form.section(tr("Tab stop {number}").format(number=number + 1))

        def set_tab(number: int = number, tab: TabStop = tab, **changes: Any) -> ReportEdit:
            return change(tabs=(*block.tabs[:number], tab.but(**changes), *block.tabs[number + 1 :]))

        form.properties(TabStop, tab, ("at", "align", "leader"), tr("Change the tab stop"), set_tab)
        form.action(tr("Remove the tab stop"), change(tabs=(*block.tabs[:number], *block.tabs[number + 1 :])))
    last = block.tabs[-1].at if block.tabs else 0
    form.action(tr("Add a tab stop"), change(tabs=(*block.tabs, TabStop(at=last + 141_732))), "plus")


def show_picture(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    block: PictureBlock = edits.block_of(report, edition, selection.block)
    change = form.block_change(selection.block)
    form.title(tr("Picture · {name}").format(name=block.name))
    form.section(tr("Content"))
    name_line(form, block)
    own = ("file",) if block.value is None else ()
    form.properties(PictureBlock, block, (*own, "value", "link", "description"), tr("Change the picture"), change)
    form.section(tr("Layout"))
    fit = ("fit",) if block.width is not None else ()
    names = ("height", "width", *fit, "align", "space_after", "visible")
    form.properties(PictureBlock, block, names, tr("Change the picture"), change)
    form.section(tr("Appearance"))
    crops = ("crop_left", "crop_top", "crop_right", "crop_bottom")
    form.properties(PictureBlock, block, crops, tr("Change the picture"), change)
    form.take_out(selection.block, tr("Remove"))


def _edition_page(report: Report, edition: str) -> PageSetup:
    found = report.edition(edition)
    assert found is not None
    return found.page


def show_level_of_any(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A level of a table or of a matrix, or what groups the rows of a chart."""
    block = edits.block_of(report, edition, selection.block)
    forms: Mapping[type, _Show] = {
        TableBlock: show_level, MatrixBlock: show_matrix_level, ChartBlock: show_chart_level,
    }  # fmt: skip
    forms[type(block)](form, report, edition, selection)


def show_data_block(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A table or a matrix as a whole."""
    block = edits.block_of(report, edition, selection.block)
    forms: Mapping[type, _Show] = {TableBlock: show_table, MatrixBlock: show_matrix}
    forms[type(block)](form, report, edition, selection)


_FORMS: dict[str, _Show] = {
    "page": show_page,
    "watermark": show_watermark,
    "header": show_running,
    "footer": show_running,
    "text": show_text,
    "picture": show_picture,
    "table": show_data_block,
    "matrix": show_data_block,
    "chart": show_chart,
    "mark": show_chart_measure,
    "groups": show_chart_level,
    "for-each": show_for_each,
    "grid": show_grid,
    "frame": show_frame,
    "grid-cell": show_grid_cell,
    "measure": show_measure,
    "level": show_level_of_any,
    "row": show_row,
    "cell": show_cell,
}
"""What shows each kind of part."""
_PARTS = ("level", "row", "cell", "mark", "groups", "measure", "grid-cell", "page", "header", "footer", "watermark")
"""Parts that are no blocks."""
