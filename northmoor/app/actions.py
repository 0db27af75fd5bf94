"""The menus: every command with its name, shortcut and what it does, declared once."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING, Protocol

from msgspec import Struct
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMenu, QMenuBar, QWidget

from northmoor.app.delivery.delivery_actions import DeliveryActions
from northmoor.app.document_controller import DocumentController
from northmoor.app.help.help_actions import Help
from northmoor.app.language.translation import tr
from northmoor.app.library_actions import LibraryActions
from northmoor.app.pages.workspace import PagesWorkspace
from northmoor.app.parameters.bar import ParameterBar
from northmoor.app.report_file.file_actions import FileActions
from northmoor.app.shell.link_navigation import LinkNavigation
from northmoor.app.shell.look_actions import StyleActions
from northmoor.app.shell.window_bars import DeliveredFile
from northmoor.app.start.report_starter.new_report_action import NewReportAction
from northmoor.app.start.start_actions import StartActions
from northmoor.app.widgets.menus import with_mnemonics
from northmoor.app.widgets.widget_tools import commit_typing
from northmoor.app.worker import Worker, stop_all
from northmoor.core.model.blocks.block_types import BLOCK_TYPES

if TYPE_CHECKING:
    from northmoor.app.delivery.workspace import DeliveryWorkspace
    from northmoor.app.start.keys_dialog import CommandKeys


class CommandTargets(Protocol):
    """What the commands need of the window."""

    controller: DocumentController
    worker: Worker
    catalog_worker: Worker
    pages: PagesWorkspace
    parameters: ParameterBar
    styling: StyleActions
    starting: NewReportAction
    beginning: StartActions
    sharing: LibraryActions
    following: LinkNavigation
    files: FileActions
    delivery: DeliveryActions
    delivered_file: DeliveredFile
    help: Help

    @property
    def deliveries(self) -> "DeliveryWorkspace": ...

    def ask_new(self) -> None: ...
    def window(self) -> QWidget | None: ...
    def new_tab(self) -> object: ...
    def add_field(self, as_what: str) -> None: ...
    def add_query(self) -> None: ...
    def add_connection(self) -> None: ...
    def define_parameters(self, name: str) -> None: ...
    def show_report(self, refresh: bool = False) -> None: ...
    def show_workspace(self, name: str) -> None: ...
    def show_finder(self) -> None: ...
    def show_findings(self) -> None: ...
    def toggle_trace(self) -> None: ...
    def step_panel(self, step: int) -> None: ...
    def show_properties(self) -> None: ...


class Command(Struct, frozen=True):
    """An entry of a menu; `name` is also how code finds its action. A None in a list of commands is a line."""

    name: str
    text: str
    shortcut: str
    run: Callable[[CommandTargets], object]


class Submenu(Struct, frozen=True):
    """A menu in a menu. One with `fill` is filled each time it is opened."""

    text: str
    commands: tuple[Command | None, ...]
    fill: Callable[[CommandTargets, QMenu], object] | None = None


def _insert(kind: str) -> Callable[[CommandTargets], object]:
    return lambda w: w.pages.blocks.insert(kind)


_OF_THE_MENU = ("text", "rule", "spacer", "break", "contents", "shape", "barcode", "frame", "grid")
"""Blocks that need no data, in the menu's order; any others follow them."""
_OTHER_BLOCKS = tuple(
    Command(f"add_{each.name}", tr(each.label), "", _insert(each.name))
    for each in BLOCK_TYPES
    if each.new is not None and each.name not in _OF_THE_MENU
)
MENUS: dict[str, tuple[Command | Submenu | None, ...]] = {
    tr("File"): (
        Command("new", tr("New report…"), "Ctrl+N", lambda w: w.ask_new()),
        Command("new_from_data", tr("New report from a file…"), "", lambda w: w.beginning.new_from_data()),
        Command("connect", tr("New report on a database server…"), "", lambda w: w.beginning.connect_to_server()),
        Command("new_empty", tr("New empty report…"), "", lambda w: w.beginning.new_empty()),
        Command("new_from_report", tr("New report from another…"), "", lambda w: w.beginning.new_from_report()),
        Command("new_tab", tr("New tab"), "Ctrl+T", lambda w: w.new_tab()),
        Command("new_window", tr("New window"), "Ctrl+Shift+N", lambda w: w.beginning.new_window()),
        Command("open", tr("Open…"), "Ctrl+O", lambda w: w.files.ask_open()),
        Submenu(tr("Open recent"), (), lambda w, menu: w.files.fill_recent(menu)),
        Command("demo", tr("Open the demo"), "", lambda w: w.beginning.demo()),
        Command("close_report", tr("Close"), "Ctrl+W", lambda w: w.files.close()),
        None,
        Command("save", tr("Save"), "Ctrl+S", lambda w: w.files.save()),
        Command("save_as", tr("Save as…"), "Ctrl+Shift+S", lambda w: w.files.ask_save_as()),
        Command("save_copy", tr("Save a copy…"), "", lambda w: w.files.ask_save_copy()),
        Command("revert", tr("Revert to saved"), "", lambda w: w.files.revert()),
        None,
        Command("deliver", tr("Deliver…"), "Ctrl+D", lambda w: w.delivery.ask()),
        Command("deliver_block", tr("Deliver the block…"), "", lambda w: w.delivery.ask_block()),
        Command("open_delivered", tr("Open what was delivered"), "Ctrl+Alt+O", lambda w: w.delivered_file.open()),
        Command("show_delivered", tr("Show it in its folder"), "Ctrl+Alt+S", lambda w: w.delivered_file.show_folder()),
        Command("print", tr("Print…"), "Ctrl+P", lambda w: w.delivery.print()),
        None,
        Command("properties", tr("Report properties"), "", lambda w: w.show_properties()),
        Command("preferences", tr("Preferences…"), "Ctrl+,", lambda w: w.beginning.ask_preferences()),
        Command("restart", tr("Restart Northmoor"), "", lambda w: w.beginning.restart_wanted.emit()),
        Command("change_keys", tr("Keys…"), "", lambda w: w.beginning.ask_keys(all_commands())),
        None,
        Command("quit", tr("Quit"), "Ctrl+Q", lambda w: w.window().close()),
    ),
    tr("Edit"): (
        Command("undo", tr("Undo"), "Ctrl+Z", lambda w: w.controller.undo()),
        Command("redo", tr("Redo"), "Ctrl+Shift+Z", lambda w: w.controller.redo()),
        None,
        Command("cut", tr("Cut"), "Ctrl+X", lambda w: w.pages.blocks.cut()),
        Command("copy", tr("Copy"), "Ctrl+C", lambda w: w.pages.blocks.copy()),
        Command("copy_shown", tr("Copy as printed"), "Ctrl+Alt+P", lambda w: w.delivery.copy_block()),
        Command("paste", tr("Paste"), "Ctrl+V", lambda w: w.pages.blocks.paste()),
        Command("duplicate", tr("Duplicate"), "Ctrl+Alt+D", lambda w: w.pages.blocks.duplicate()),
        Command("remove", tr("Remove"), "Del", lambda w: w.pages.blocks.remove()),
        Command("move_up", tr("Move up"), "Ctrl+Alt+Up", lambda w: w.pages.blocks.move(-1)),
        Command("move_down", tr("Move down"), "Ctrl+Alt+Down", lambda w: w.pages.blocks.move(1)),
        None,
        Command("copy_look", tr("Copy formatting"), "Ctrl+Alt+C", lambda w: w.styling.copy()),
        Command("paste_look", tr("Paste formatting"), "Ctrl+Alt+V", lambda w: w.styling.paste()),
        Command("format", tr("Format…"), "Ctrl+Shift+O", lambda w: w.pages.pick_format()),
        Command("styles", tr("Styles…"), "Ctrl+Shift+Y", lambda w: w.styling.open_styles()),
        None,
        Command("replace", tr("Find and replace…"), "Ctrl+F", lambda w: w.sharing.open_replace()),
        Command("find", tr("Search everything…"), "Ctrl+K", lambda w: w.show_finder()),
    ),
    tr("Insert"): (
        Command("add_column", tr("Add field as column"), "Ctrl+Shift+C", lambda w: w.add_field("column")),
        Command("add_level", tr("Group by chosen field"), "Ctrl+G", lambda w: w.add_field("level")),
        None,
        Command("add_table", tr("Table…"), "Ctrl+Shift+B", lambda w: w.pages.placing.ask_block("table")),
        Command("add_matrix", tr("Matrix…"), "Ctrl+Shift+X", lambda w: w.pages.placing.ask_block("matrix")),
        Command("add_chart", tr("Chart…"), "Ctrl+Shift+J", lambda w: w.pages.placing.ask_block("chart")),
        None,
        Command("add_text", tr("Text"), "Ctrl+Shift+T", lambda w: w.pages.blocks.insert("text")),
        Command("add_picture", tr("Picture…"), "Ctrl+Shift+I", lambda w: w.pages.blocks.insert_picture()),
        Command("add_readout", tr("Key figure"), "", lambda w: w.pages.blocks.insert_readout()),
        Command("add_rule", tr("Line"), "", lambda w: w.pages.blocks.insert("rule")),
        Command("add_space", tr("Space"), "", lambda w: w.pages.blocks.insert("spacer")),
        Command("add_break", tr("Page break"), "Ctrl+Return", lambda w: w.pages.blocks.insert("break")),
        Command("add_contents", tr("Contents list"), "", lambda w: w.pages.blocks.insert("contents")),
        Command("add_shape", tr("Shape"), "", lambda w: w.pages.blocks.insert("shape")),
        Command("add_barcode", tr("Barcode or QR code"), "", lambda w: w.pages.blocks.insert("barcode")),
        *_OTHER_BLOCKS,
        None,
        Command("add_frame", tr("Frame"), "Ctrl+Shift+F", lambda w: w.pages.blocks.insert("frame")),
        Command("add_grid", tr("Grid"), "Ctrl+Shift+G", lambda w: w.pages.blocks.insert("grid")),
        Command("add_for_each", tr("For each"), "Ctrl+Shift+E", lambda w: w.pages.blocks.insert_for_each()),
        Command("repeat", tr("Repeat for each record"), "Ctrl+Shift+R", lambda w: w.pages.blocks.repeat()),
        None,
        Command("include", tr("Shared block or report…"), "", lambda w: w.sharing.include()),
        Command("share", tr("Share the selected block…"), "", lambda w: w.sharing.share_blocks()),
        None,
        Command("add_query", tr("Query…"), "Ctrl+Shift+Q", lambda w: w.add_query()),
        Command("add_connection", tr("Connection…"), "", lambda w: w.add_connection()),
        None,
        Command("parameters", tr("Parameters…"), "Ctrl+Shift+M", lambda w: w.define_parameters("")),
    ),
    tr("Page"): (
        Command("zoom_in", tr("Zoom in"), "Ctrl++", lambda w: w.pages.canvas.zoom_by(1)),
        Command("zoom_out", tr("Zoom out"), "Ctrl+-", lambda w: w.pages.canvas.zoom_by(-1)),
        Command("zoom_fit", tr("Fit width"), "Ctrl+0", lambda w: w.pages.canvas.set_zoom(None)),
        Command("zoom_real", tr("Actual size"), "Ctrl+1", lambda w: w.pages.canvas.set_zoom(1.0)),
        None,
        Command("editions", tr("Editions…"), "Ctrl+Shift+L", lambda w: w.sharing.open_editions()),
        Command("duplicate_edition", tr("Duplicate edition"), "", lambda w: w.sharing.duplicate_edition()),
        Command("keep_page", tr("Save page as template…"), "", lambda w: w.sharing.keep_page()),
        Command("apply_page", tr("Apply page template…"), "", lambda w: w.sharing.apply_page()),
        None,
        Command("fold", tr("Collapse or expand groups"), "Ctrl+[", lambda w: w.pages.fold_selected()),
        Command("open_all", tr("Expand all"), "Ctrl+]", lambda w: w.pages.open_all()),
        None,
        Submenu(
            tr("In a frame"),
            (
                Command("align_left", tr("Align at the left"), "", lambda w: w.pages.arranging.align("left")),
                Command("align_center", tr("Align in the centre"), "", lambda w: w.pages.arranging.align("center")),
                Command("align_right", tr("Align at the right"), "", lambda w: w.pages.arranging.align("right")),
                Command("align_top", tr("Align at the top"), "", lambda w: w.pages.arranging.align("top")),
                Command("align_middle", tr("Align in the middle"), "", lambda w: w.pages.arranging.align("middle")),
                Command("align_bottom", tr("Align at the bottom"), "", lambda w: w.pages.arranging.align("bottom")),
                None,
                Command("space_across", tr("Space evenly across"), "", lambda w: w.pages.arranging.distribute(False)),
                Command("space_down", tr("Space evenly down"), "", lambda w: w.pages.arranging.distribute(True)),
                None,
                Command("to_front", tr("Bring to the front"), "Ctrl+Alt+Home", lambda w: w.pages.arranging.order(True)),
                Command("to_back", tr("Send to the back"), "Ctrl+Alt+End", lambda w: w.pages.arranging.order(False)),
                None,
                Command("group", tr("Group"), "Ctrl+Alt+G", lambda w: w.pages.arranging.group(True)),
                Command("ungroup", tr("Ungroup"), "Ctrl+Alt+U", lambda w: w.pages.arranging.group(False)),
                Command("lock", tr("Lock or unlock"), "Ctrl+Alt+L", lambda w: w.pages.arranging.lock()),
            ),
        ),
        None,
        Command("back", tr("Back"), "Alt+Left", lambda w: w.following.back()),
        None,
        Command("first", tr("First page"), "Ctrl+Home", lambda w: w.pages.canvas.go_to(0)),
        Command(
            "previous",
            tr("Previous page"),
            "Alt+Up",
            lambda w: w.pages.canvas.go_to(w.pages.canvas.current_page - 1),
        ),
        Command("next", tr("Next page"), "Alt+Down", lambda w: w.pages.canvas.go_to(w.pages.canvas.current_page + 1)),
        Command("last", tr("Last page"), "Ctrl+End", lambda w: w.pages.canvas.go_to(w.pages.canvas.page_count - 1)),
    ),
    tr("Run"): (
        Command("refresh", tr("Refresh data"), "F5", lambda w: w.show_report(refresh=True)),
        Command("preflight", tr("Preflight…"), "F7", lambda w: w.show_findings()),
        Command("trace", tr("Trace a figure"), "F8", lambda w: w.toggle_trace()),
        Command("stop", tr("Stop"), "Esc", lambda w: stop_all(w.worker, w.catalog_worker)),
        None,
        Command("next_panel", tr("Next panel"), "F6", lambda w: w.step_panel(1)),
        Command("previous_panel", tr("Previous panel"), "Shift+F6", lambda w: w.step_panel(-1)),
        Command("values", tr("Focus the parameters"), "Ctrl+Shift+A", lambda w: w.parameters.focus()),
        Command("hold", tr("Apply parameters together"), "Ctrl+Shift+H", lambda w: w.parameters.hold.toggle()),
        Command("value_sets", tr("Parameter presets…"), "Ctrl+Shift+V", lambda w: w.parameters.open_sets()),
        None,
        Command("data", tr("Show Data"), "Ctrl+Shift+D", lambda w: w.show_workspace("data")),
        Command("pages", tr("Show Pages"), "Ctrl+Shift+P", lambda w: w.show_workspace("pages")),
        Command("deliveries", tr("Show Delivery"), "Ctrl+Shift+U", lambda w: w.show_workspace("delivery")),
        None,
        Command("new_order", tr("New standing order…"), "", lambda w: w.deliveries.new_order()),
    ),
    tr("Help"): (
        Command("explain", tr("Explain this"), "F1", lambda w: w.help.explain()),
        Command("contents_of_help", tr("Contents"), "", lambda w: w.help.show_contents()),
        Command("keys", tr("Keys and mouse"), "", lambda w: w.help.show_keys()),
        Command("news", tr("What's new"), "", lambda w: w.help.show_news()),
        None,
        Command("about", tr("About Northmoor"), "", lambda w: w.help.show_about()),
    ),
}


NEEDING_REPORT = (
    "save", "save_as", "save_copy", "add_column", "add_level", "add_table", "add_matrix", "add_chart",
    "add_text", "add_picture",
    "add_readout", "add_rule", "add_space", "add_break", "add_contents", "add_shape", "add_barcode", "add_frame",
    "add_grid", "add_for_each", "repeat", "cut", "copy", "paste", "duplicate", "remove", "move_up", "move_down",
    "add_query", "add_connection", "refresh", "parameters", "values", "hold", "value_sets", "replace", "include",
    "share", "editions", "duplicate_edition", "format", "close_report", "properties", "keep_page", "apply_page",
    "deliveries", "new_order",
)  # fmt: skip
"""Commands that do something only while a report is open."""
OF_BLOCKS = ("cut", "copy", "paste", "duplicate", "remove", None, "move_up", "move_down", None, "repeat")
"""Commands of blocks, in order; a None is a line."""


def all_commands() -> "list[CommandKeys]":
    """Every command of the menus with its usual keys."""
    found = []
    for entry in (entry for entries in MENUS.values() for entry in entries):
        commands = entry.commands if isinstance(entry, Submenu) else (entry,)
        found += [(each.name, each.text, each.shortcut) for each in commands if each is not None]
    return found


def shortcuts(keys: Mapping[str, str]) -> list[tuple[str, str]]:
    """The commands that have a shortcut, with it; `keys` are those that are other than usual."""
    held = ((text.rstrip("…"), keys.get(name, usual)) for name, text, usual in all_commands())
    return [(text, own) for text, own in held if own]


def fill_menus(window: CommandTargets, bar: QMenuBar, keys: Mapping[str, str]) -> dict[str, QAction]:
    """Fill the menu bar; the actions by their commands' names. `keys` are those that are other than usual."""
    actions: dict[str, QAction] = {}
    for title, commands in zip(with_mnemonics(list(MENUS)), MENUS.values(), strict=True):
        menu: QMenu | None = bar.addMenu(title)
        assert menu is not None
        menu.setToolTipsVisible(True)
        _fill(menu, commands, window, bar, actions)
    for name in actions.keys() & keys.keys():
        actions[name].setShortcut(QKeySequence(keys[name]))
    return actions


def _run(command: Command, window: CommandTargets, bar: QMenuBar, _: bool = False) -> None:
    commit_typing(bar.window() or bar)  # a command acts on what one sees, and what was typed is seen
    command.run(window)


def _fill(
    menu: QMenu, entries: Sequence[Command | Submenu | None], window: CommandTargets, bar: QMenuBar,
    actions: dict[str, QAction],
) -> None:  # fmt: skip
    """Fill a menu; an action's data is the way to it."""
    texts = iter(with_mnemonics([entry.text for entry in entries if entry is not None]))
    for entry in entries:
        if entry is None:
            menu.addSeparator()
        elif isinstance(entry, Submenu):
            below = menu.addMenu(next(texts))
            assert below is not None
            if entry.fill is not None:
                below.aboutToShow.connect(partial(entry.fill, window, below))
            _fill(below, entry.commands, window, bar, actions)
        else:
            action = QAction(next(texts), bar)
            action.setObjectName(entry.name)
            action.setShortcut(QKeySequence(entry.shortcut))
            action.setData(menu.title().replace("&", ""))
            action.triggered.connect(partial(_run, entry, window, bar))
            menu.addAction(action)
            actions[entry.name] = action
