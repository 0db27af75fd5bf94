"""What a report shares with others by the library: pages kept as templates, and blocks kept in one place."""

import re
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from msgspec import Struct
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.pages.actions.block_actions import BlockActions
from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import NorthmoorError
from northmoor.core.model import edits, page_templates
from northmoor.core.model.blocks.simple import IncludeBlock
from northmoor.core.model.clipboard import blocks_text
from northmoor.core.model.edits import Target, insert_blocks, remove_blocks
from northmoor.core.model.report import Report
from northmoor.core.store.page_template_files import page_text, read_page

if TYPE_CHECKING:
    from northmoor.app.pages.dialogs.editions_dialog import EditionsDialog
    from northmoor.app.pages.dialogs.find_replace_dialog import ReplaceDialog

BLOCKS = "blocks"
BLOCKS_ENDING = ".blocks.json"


class _Shelf(Struct, frozen=True):
    """Where the library keeps things of a kind, and how that is asked for."""

    title: str
    thing: str
    folder: str
    ending: str
    when_replaced: str
    """What becomes of reports that use it."""


def _holds_other(path: Path, text: str) -> bool:
    return path.exists() and path.read_bytes() != text.encode()


class LibraryActions(QObject):
    """Keeps pages and blocks in the library and takes them from there; opens the dialogs that work on all of a
    report."""

    message = pyqtSignal(str, str)

    def __init__(self, controller: DocumentController, blocks: BlockActions, window: QWidget) -> None:
        super().__init__(window)
        self._controller, self._blocks, self._window = controller, blocks, window
        self.editions: EditionsDialog | None = None
        self.replace: ReplaceDialog | None = None

    def duplicate_edition(self) -> None:
        """Put a copy of the shown edition beside it, and show that, with the same part selected."""
        report, shown, selected = self._controller.report, self._controller.edition, self._controller.selection
        if report is None or shown is None:
            return
        before = {edition.name for edition in report.editions}
        if self._controller.edit(tr("Duplicate the edition"), lambda r, _: edits.duplicate_edition(r, shown.name)):
            changed = self._controller.report
            assert changed is not None  # it was edited
            self._controller.show_edition(next(e.name for e in changed.editions if e.name not in before))
            self._controller.select(selected)

    def open_editions(self) -> None:
        """Open the dialog of editions."""
        if self._controller.report is None:
            return
        if self.editions is None:
            from northmoor.app.pages.dialogs.editions_dialog import EditionsDialog  # dialogs are loaded on first use

            self.editions = EditionsDialog(self._controller, self._window)
        self.editions.refresh()
        self.editions.show()
        self.editions.raise_()

    def open_replace(self) -> None:
        """Open the dialog that finds and replaces."""
        if self._controller.report is None:
            return
        if self.replace is None:
            from northmoor.app.pages.dialogs.find_replace_dialog import ReplaceDialog  # dialogs are loaded on first use

            self.replace = ReplaceDialog(self._controller, self._window)
            self.replace.picked.connect(self._controller.select)
        self.replace.open_for()

    def keep_page(self) -> None:
        """Keep the edition's page in the library, under a name that is asked for."""
        report, edition = self._controller.report, self._controller.edition
        if report is None or edition is None:
            return
        where = _Shelf(tr("Keep the page"), tr("page"), page_templates.FOLDER, page_templates.ENDING,
                       tr("Reports that it was applied to stay as they are."))  # fmt: skip
        path = self._keep(where, "house", page_text(page_templates.page_template(report, edition.name)))
        if path is not None:
            self.message.emit(
                tr("Kept as {file}. Page › Apply page template gives it to any report.").format(file=path.name),
                "good",
            )

    def apply_page(self) -> None:
        """Give the edition a page of the library."""
        path = self._ask_kept(
            tr("Apply a kept page"),
            page_templates.FOLDER,
            page_templates.ENDING,
            tr("The library has no page templates yet; Page › Save page as template makes one."),
        )
        if path is None:
            return
        try:
            kept = read_page(path)
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
            return
        self._controller.edit(tr("Apply a kept page"), lambda r, e: page_templates.with_page(r, e, kept))

    def share_blocks(self) -> None:
        """Keep the chosen blocks in the library and include them from there."""
        report, edition, names = self._controller.report, self._controller.edition, self._blocks.names
        if report is None or edition is None or not names:
            self.message.emit(tr("Choose a block on the page or in Contents, then share it."), "warning")
            return
        where = _Shelf(tr("Share the block"), tr("block"), BLOCKS, BLOCKS_ENDING,
                       tr("If you replace it, every report that includes it changes."))  # fmt: skip
        path = self._keep(where, names[0], blocks_text(report, edition.name, names))
        if path is None:
            return
        block = IncludeBlock(name=names[0], file=f"{BLOCKS}/{path.name}", space_after=6_000)

        def change(report: Report, edition: str) -> Report:
            report = insert_blocks(report, edition, [block.but(name=f"{names[0]}-shared")], Target(names[-1]))
            return remove_blocks(report, edition, names)

        if self._controller.edit(tr("Share the block"), change):
            self.message.emit(
                tr("Kept as {file}; a change of that file shows in every report that includes it.").format(
                    file=path.name
                ),
                "good",
            )

    def include(self) -> None:
        """Include shared blocks, or another report, after the chosen block."""
        library = self._controller.library
        if library is None:
            return
        begin = library.root / BLOCKS
        chosen, _ = QFileDialog.getOpenFileName(
            self._window, tr("Include"), str(begin if begin.is_dir() else library.root),
            tr("Shared blocks and reports (*{ending} *.moor)").format(ending=BLOCKS_ENDING),
        )  # fmt: skip
        if not chosen:
            return
        path, root = Path(chosen).resolve(), library.root.resolve()
        if not path.is_relative_to(root):
            self.message.emit(tr("It is outside the library; copy it into the library's folder first."), "warning")
            return
        name = re.sub(r"[^A-Za-z0-9_]+", "-", path.name.partition(".")[0]).strip("-") or "included"
        block = IncludeBlock(name=name if name[0].isalpha() else f"i-{name}", file=path.relative_to(root).as_posix(),
                             space_after=6_000)  # fmt: skip
        self._blocks.insert_made(tr("Include"), [block])

    def _keep(self, shelf: "_Shelf", name: str, text: str) -> Path | None:
        """Keep a text in the library under a name that is asked for, again where that is another one's; its file."""
        while (path := self._ask_name(shelf, name)) is not None:
            name = path.name.removesuffix(shelf.ending)
            try:
                answer = self._ask_to_replace(shelf, path) if _holds_other(path, text) else "replace"
                if answer == "replace":
                    path.parent.mkdir(exist_ok=True)
                    write_atomically(path, lambda part: part.write_text(text, encoding="utf-8"))
            except (NorthmoorError, OSError) as error:
                self.message.emit(core_text(error), "fault")
                return None
            if answer != "rename":
                return path if answer == "replace" else None
        return None

    def _ask_name(self, shelf: "_Shelf", proposed: str) -> Path | None:
        """A file of the library by a name that is asked for."""
        library = self._controller.library
        question = tr("Name of the {thing} in the library").format(thing=shelf.thing)
        name, is_said = QInputDialog.getText(self._window, shelf.title, question, text=proposed)
        plain = re.sub(r"[^\w \-]", "", name).strip()
        if library is None or not is_said or not plain:
            return None
        return library.root / shelf.folder / f"{plain}{shelf.ending}"

    def _ask_to_replace(self, shelf: "_Shelf", path: Path) -> Literal["replace", "rename", ""]:
        """Ask what becomes of another page or block of a name, such as one that a colleague has kept."""
        box = QMessageBox(self._window)
        box.setWindowTitle(shelf.title)
        box.setTextFormat(Qt.TextFormat.PlainText)
        changed = datetime.fromtimestamp(path.stat().st_mtime).astimezone()
        box.setText(
            tr(
                "The library already has another {thing} called {file}, changed on "
                "{changed:%Y-%m-%d at %H:%M}. {warning}"
            ).format(
                thing=shelf.thing,
                file=path.name.removesuffix(shelf.ending),
                changed=changed,
                warning=shelf.when_replaced,
            )
        )
        replace = box.addButton(tr("Replace it"), QMessageBox.ButtonRole.DestructiveRole)
        rename = box.addButton(tr("Choose another name"), QMessageBox.ButtonRole.AcceptRole)
        box.addButton(QMessageBox.StandardButton.Cancel)
        box.setDefaultButton(rename)
        box.exec()
        chosen = box.clickedButton()
        return "replace" if chosen is replace else "rename" if chosen is rename else ""

    def _ask_kept(self, title: str, folder: str, ending: str, none: str) -> Path | None:
        """One of the files that the library keeps in a folder."""
        library = self._controller.library
        if library is None:
            return None
        kept = sorted((library.root / folder).glob(f"*{ending}"))
        if not kept:
            self.message.emit(none, "warning")
            return None
        names = [path.name.removesuffix(ending) for path in kept]
        name, is_chosen = QInputDialog.getItem(self._window, title, tr("Page"), names, 0, False)
        return kept[names.index(name)] if is_chosen and name in names else None
