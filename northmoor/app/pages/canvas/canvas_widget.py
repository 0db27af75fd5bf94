"""The canvas: a vertical run of the real pages, drawn from the delivered PDF, with what is selected lit up on them."""

from collections.abc import Callable, Sequence
from functools import partial

from PyQt6.QtCore import QPoint, QRect, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QWidget

from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.canvas.drag.block_move import lifted
from northmoor.app.pages.canvas.drag.column_move import ColumnMoveDrag, is_title
from northmoor.app.pages.canvas.drag.column_width import LANE, draw_drop, spot_rect
from northmoor.app.pages.canvas.drag.drop_area import DropArea
from northmoor.app.pages.canvas.drag.field_drop import DropTarget, TargetFinder, target_at
from northmoor.app.pages.canvas.drag.frame_item import ARROWS, POINTERS, FrameItemGrip, ItemDrag, extents_of, grip_at
from northmoor.app.pages.canvas.drag.guide import draw_guides
from northmoor.app.pages.canvas.drag.line_hold import LineHold, line_hold_at
from northmoor.app.pages.canvas.drag.margin import draw_margins
from northmoor.app.pages.canvas.drag.protocol import Drag
from northmoor.app.pages.canvas.drag.rail_move import RailMoveDrag
from northmoor.app.pages.canvas.drag.rectangle import RectangleDrag
from northmoor.app.pages.canvas.hit_selection import link_hint, selection_of, selects
from northmoor.app.pages.canvas.level_rails import RailFinder, draw_rails, rail_at, rail_head_at
from northmoor.app.pages.canvas.page_stack import AHEAD, GAP, PageStack, draw_picture, next_zoom
from northmoor.app.pages.canvas.selection_marks import SelectionHandle, draw_selected, is_blank, same_instance
from northmoor.app.widgets.theme import DESK, LINE, MARK, PAGE, PEAT, ink
from northmoor.app.widgets.widget_tools import image_of
from northmoor.app.worker import PageShown, Rendered
from northmoor.core.document import Document
from northmoor.core.layout.page.hit_testing import GroupBracket, HitMap, HitRegion
from northmoor.core.layout.table.collapsing import column_folds
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import FrameBlock
from northmoor.core.model.blocks.tree import items_of, walk
from northmoor.core.model.pages import PageSetup


class PageCanvas(DropArea):
    """Shows a document. Selecting and dragging are reported by signals; the canvas changes nothing itself."""

    pages_wanted = pyqtSignal(list)
    picked = pyqtSignal(object)
    menu_wanted = pyqtSignal(QPoint)
    spot_clicked = pyqtSignal(int, object)
    fold_wanted = pyqtSignal(str, int, tuple)
    fold_all_wanted = pyqtSignal(str, int)
    edit_wanted = pyqtSignal(object, QRect)
    width_dragged = pyqtSignal(str, str, int)
    column_dropped = pyqtSignal(str, str, str)
    level_dropped = pyqtSignal(str, str, int)
    link_opened = pyqtSignal(str)
    picked_also = pyqtSignal(object, bool)
    item_dropped = pyqtSignal(object)
    guide_dropped = pyqtSignal(object)
    margin_dragged = pyqtSignal(str, int)
    blocks_touched = pyqtSignal(object)
    block_dropped = pyqtSignal(str, object)
    nudged = pyqtSignal(int, int, bool)
    page_changed = pyqtSignal(int, int)
    zoom_changed = pyqtSignal(float)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Pages"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.viewport().setMouseTracking(True)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.verticalScrollBar().valueChanged.connect(self._scrolled)
        self._document: Document | None = None
        self._shown: dict[int, PageShown] = {}
        self._pixmaps, self._selection, self._message = dict[int, QPixmap](), WHOLE_PAGE, ""
        self._also: list[Selection] = []
        self._zoom: float | None = None
        self._active_drag: Drag | None = None
        """What was taken hold of."""
        self._waiting: tuple[Selection, QRect] | None = None
        """What is edited when the pointer is let go without a drag."""
        self._traced: tuple[int, HitRegion] | None = None
        self._pointed: tuple[int, HitRegion] | None = None
        self._handle, self._ahead = SelectionHandle(self.menu_wanted.emit, self._pull, self), QTimer(self)
        self._ahead.setSingleShot(True)
        self._ahead.timeout.connect(partial(self._ask_for_pages, is_ahead=True))
        self._stacked: tuple[tuple[Document | None, float], PageStack] | None = None

    def mark(self, traced: tuple[int, HitRegion] | None) -> None:
        """Mark the one instance of what is selected that is traced: a spot of a page (its index), or none."""
        self._traced = traced
        self.viewport().update()

    def show_document(self, rendered: Rendered) -> None:
        """Show a newly rendered document, keeping the place; old pictures stay until the new ones are there."""
        self._document = rendered.document
        self._message = ""
        for index in [i for i in self._shown if i >= len(rendered.document)]:
            del self._shown[index], self._pixmaps[index]
        self._arrange()
        self._ask_for_pages()

    def show_message(self, message: str) -> None:
        """Show a message in place of pages (when there are none)."""
        self._message = message
        self.viewport().update()

    def clear(self) -> None:
        """Show nothing."""
        self._document = None
        self._shown, self._pixmaps = {}, {}
        self._arrange()
        self.verticalScrollBar().setValue(0)

    def show_page(self, shown: PageShown) -> None:
        """Put a page's new picture in its place."""
        if shown.document is not self._document:
            return
        self._shown[shown.index] = shown
        self._pixmaps[shown.index] = QPixmap.fromImage(image_of(shown.raster))
        self._pixmaps[shown.index].setDevicePixelRatio(self.devicePixelRatioF())
        self.viewport().update()

    @property
    def is_idle(self) -> bool:
        """Whether all pages in view show the newest document."""
        scale = self.zoom * 96 / 72 * self.devicePixelRatioF()
        return all(self._is_fresh(index, scale) for index in self._visible())

    def select(self, selection: Selection) -> None:
        """Light up all instances of a part."""
        self._selection = selection
        self.viewport().update()

    def select_also(self, others: Sequence[Selection]) -> None:
        """Light up other parts too."""
        self._also = [other for other in others if other != self._selection]
        self.viewport().update()

    @property
    def _blocks(self) -> Sequence[Block]:
        """The blocks of the edition that is shown."""
        return self._document.composition.edition.blocks if self._document is not None else ()

    @property
    def _is_in_frame(self) -> bool:
        return items_of(self._blocks, [self._selection.block]) is not None

    @property
    def _frame(self) -> FrameBlock | None:
        """The frame that is chosen, or that what is chosen is in."""
        found = items_of(self._blocks, [self._selection.block])
        own = (block for block in walk(self._blocks) if block.name == self._selection.block)
        return found[0] if found is not None else next((b for b in own if isinstance(b, FrameBlock)), None)

    @property
    def page_count(self) -> int:
        """Pages of the document."""
        return len(self._document) if self._document else 0

    @property
    def current_page(self) -> int:
        """The page at the middle of the view, counted from 0."""
        if not self.page_count:
            return 0
        middle = self.verticalScrollBar().value() + self.viewport().height() // 2
        return self._stack.at(middle)

    def go_to(self, page: int, y: int = 0) -> None:
        """Scroll to the top of a page, or to a distance from it in millipoints."""
        page = max(0, min(page, self.page_count - 1))
        down = max(round(y * self.scale()) - GAP, 0) if y else 0
        if self.page_count:
            self.verticalScrollBar().setValue(self._stack.top(page) - GAP + down)

    @property
    def zoom(self) -> float:
        """Pixels on screen for a pixel at 96 to the inch."""
        if self._zoom is not None:
            return self._zoom
        width = max(paper[0] for _, paper in self._papers) / 1000 * 96 / 72
        return max(0.2, (self.viewport().width() - LANE - GAP - 8) / width)

    def set_zoom(self, zoom: float | None) -> None:
        """Set the zoom; None fits the width."""
        page, within = self.current_page, self._within()
        self._zoom = zoom
        self._arrange()
        if self.page_count:
            self.verticalScrollBar().setValue(self._stack.top(page) - GAP + round(within * self.scale()))
        self._ask_for_pages()
        self.zoom_changed.emit(self.zoom)

    def zoom_by(self, steps: int) -> None:
        """The next larger or smaller zoom."""
        self.set_zoom(next_zoom(self.zoom, steps > 0))

    @property
    def is_fitted(self) -> bool:
        """Whether the zoom follows the width."""
        return self._zoom is None

    def _within(self) -> float:
        """How far down the view begins, from the top of the page at its middle, in millipoints."""
        if not self.page_count:
            return 0.0
        return (self.verticalScrollBar().value() - self._stack.top(self.current_page) + GAP) / self.scale()

    @property
    def _papers(self) -> Sequence[tuple[int, tuple[int, int]]]:
        return self._document.composition.papers if self._document else ((0, (595_276, 841_890)),)

    def scale(self) -> float:
        """Pixels for a millipoint."""
        return self.zoom * 96 / 72 / 1000

    @property
    def _stack(self) -> PageStack:
        """Where the pages are."""
        key = (self._document, self.scale())
        if self._stacked is None or self._stacked[0] != key:
            self._stacked = (key, PageStack(self._papers, self.page_count, self.scale()))
        return self._stacked[1]

    def _arrange(self) -> None:
        stack, view = self._stack, self.viewport().size()
        self.verticalScrollBar().setRange(0, max(0, stack.height - view.height()))
        self.verticalScrollBar().setPageStep(view.height())
        self.verticalScrollBar().setSingleStep(60)
        self.horizontalScrollBar().setRange(0, max(0, stack.width + LANE + GAP - view.width()))
        self.horizontalScrollBar().setPageStep(view.width())
        self.viewport().update()
        if self.page_count:
            self.page_changed.emit(self.current_page, self.page_count)

    def page_rect(self, index: int) -> QRect:
        """Where a page is in the viewport, in pixels."""
        size = self._stack.size(index)
        free = self.viewport().width() - size.width()
        left = max(LANE, min(free // 2 + LANE // 4, free - GAP)) - self.horizontalScrollBar().value()
        top = self._stack.top(index) - self.verticalScrollBar().value()
        return QRect(QPoint(left, top), size)

    def _visible(self) -> range:
        if not self.page_count:
            return range(0)
        top = self.verticalScrollBar().value()
        return range(self._stack.at(top), self._stack.at(top + self.viewport().height()) + 1)

    def _ask_for_pages(self, is_ahead: bool = False) -> None:
        """Ask for the pages in view; a moment later, for those beside them too."""
        scale = self.zoom * 96 / 72 * self.devicePixelRatioF()
        visible = self._visible()
        near = [i for i in (visible.stop, visible.start - 1) if is_ahead and 0 <= i < self.page_count]
        self.pages_wanted.emit([(i, scale) for i in (*visible, *near) if not self._is_fresh(i, scale)])
        if not is_ahead:
            self._ahead.start(AHEAD)
        for index in [i for i in self._shown if i < visible.start - 4 or i > visible.stop + 4]:
            del self._shown[index], self._pixmaps[index]

    def _is_fresh(self, index: int, scale: float) -> bool:
        shown = self._shown.get(index)
        return shown is not None and shown.document is self._document and shown.scale == scale

    def _scrolled(self) -> None:
        self._ask_for_pages()
        if self.page_count:
            self.page_changed.emit(self.current_page, self.page_count)
        self.viewport().update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Keep fitted pages fitted."""
        super().resizeEvent(event)
        self._arrange()
        self._ask_for_pages()
        self.zoom_changed.emit(self.zoom)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Draw the pages in view, then rails and what is selected."""
        painter = QPainter(self.viewport())
        painter.fillRect(self.viewport().rect(), ink(DESK))
        if not self.page_count:
            painter.setPen(ink(PEAT))
            room = self.viewport().rect().adjusted(60, 40, -60, -40)
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self._message)
        for index in self._visible():
            self._draw_page(painter, index)
        if self._active_drag is not None:
            self._active_drag.draw(painter)
        if self._drop:
            draw_drop(painter, self.page_rect(self._drop[1]), self._drop[0], self.scale())
        painter.end()
        place = self._pointed_rect() if self._active_drag is None else None
        self._handle.follow(place, partial(is_blank, self._shown, self.page_rect))

    def _draw_page(self, painter: QPainter, index: int) -> None:
        rect = self.page_rect(index)
        painter.fillRect(rect.translated(1, 2), QColor(0, 0, 0, 28))
        painter.fillRect(rect, QColor(PAGE))
        pixmap, shown = self._pixmaps.get(index), self._shown.get(index)
        if pixmap is not None:
            draw_picture(painter, rect, pixmap)
        painter.setPen(QPen(ink(LINE), 1))
        painter.drawRect(rect.adjusted(-1, -1, 0, 0))
        if shown is not None:
            for selection in (self._selection, *self._also):
                draw_selected(painter, rect, shown.places.regions, selection, self.scale())
            if (frame := self._frame) is not None:
                with_steps = self._active_drag is not None or self._selection.block == frame.name
                draw_guides(painter, rect, shown.places, frame, self.scale(), with_steps)
            if self._traced is not None and self._traced[0] == index:
                painter.setPen(QPen(QColor(MARK), 2))
                painter.drawRect(spot_rect(rect, self._traced[1], self.scale()))
            if (setup := self._setup_on(index)) is not None:
                draw_margins(painter, rect, setup, self.scale())
            draw_rails(painter, rect, shown.places.brackets, self.scale(), self._selection)

    def drop_target(self, point: QPoint, find: TargetFinder = target_at) -> tuple[DropTarget, int] | None:
        """Where fields, or what is looked for otherwise, would go that is let go at a point, and on which page."""
        found = self._beside(point)
        places = self.places(found[0]) if found is not None else None
        if found is None or places is None:
            return None
        page = self.page_rect(found[0]).size() / self.scale()
        target = find(places, *found[1:], (page.width(), page.height()))
        return (target, found[0]) if target is not None else None

    def places(self, index: int) -> HitMap | None:
        """What is where on a page, if it is shown."""
        return self._shown[index].places if index in self._shown else None

    def under(self, point: QPoint) -> tuple[int, int, int] | None:
        """The page under a point, and the point on it in millipoints."""
        found = self._beside(point)
        return found if found is not None and self.page_rect(found[0]).contains(point) else None

    def _beside(self, point: QPoint) -> tuple[int, int, int] | None:
        """The page that is at the height of a point, and the point from its corner in millipoints."""
        for index in self._visible():
            rect, scale = self.page_rect(index), self.scale()
            if rect.top() <= point.y() <= rect.bottom():
                return index, round((point.x() - rect.left()) / scale), round((point.y() - rect.top()) / scale)
        return None

    def _rect_under(self, point: QPoint) -> QRect:
        """Where on screen the spot under a point is."""
        under, region = self.under(point), self._spot_at(point)
        if under is None or region is None:
            return QRect(point, QSize(0, 0))
        return spot_rect(self.page_rect(under[0]), region, self.scale()).toRect()

    def _line_at(self, point: QPoint) -> LineHold | None:
        """The line that a press would take hold of: a column's edge, a guide of the chosen frame, a page's margin."""
        under = self.under(point)
        if under is None or under[0] not in self._shown:
            return None
        frame = self._frame if self._grip_at(point) is None else None
        done = self.width_dragged.emit, self.guide_dropped.emit, self.margin_dragged.emit
        return line_hold_at(self, under, point, frame, self._setup_on(under[0]), *done)

    def _setup_on(self, index: int) -> PageSetup | None:
        """The paper of a page whose margins are shown: while the page is chosen, where the paper is not turned."""
        document = self._document if self._selection == WHOLE_PAGE else None
        is_own = document is not None and document.composition.paper(index) == document.edition.page.paper
        return document.edition.page if document is not None and is_own else None

    def _bracket_at(self, point: QPoint, find: RailFinder = rail_at) -> GroupBracket | None:
        for index in self._visible():
            if index in self._shown:
                bracket = find(point, self.page_rect(index), self._shown[index].places.brackets, self.scale())
                if bracket is not None:
                    return bracket
        return None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Fold or open the group whose bracket, or key over columns, is under the pointer."""
        assert event is not None
        point = event.position().toPoint()
        bracket, region = self._bracket_at(point), self._spot_at(point)
        if bracket is not None:
            self.fold_wanted.emit(bracket.block, bracket.depth + 1, bracket.keys)
        elif region is not None and region.keys:
            self.fold_wanted.emit(column_folds(region.block), len(region.keys), region.keys)
        else:
            super().mouseDoubleClickEvent(event)

    def _selection_at(self, point: QPoint) -> Selection:
        bracket = self._bracket_at(point)
        if bracket is not None:
            return Selection("level", bracket.block, level=bracket.level)
        region = self._spot_at(point)
        return selection_of(region) if region else WHOLE_PAGE

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold of a column's edge, or select what is under the pointer; a second click edits it."""
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        point = event.position().toPoint()
        self._waiting = None
        if (line := self._line_at(point)) is not None:
            self._active_drag = line.begin()
            return
        head = self._bracket_at(point, rail_head_at)
        if head is not None:
            self.fold_all_wanted.emit(head.block, head.depth + 1)
            return
        region = self._spot_at(point)
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and region is not None and region.link is not None:
            self.link_opened.emit(region.link)
            return
        self._emit_selection(point)
        selection = self._selection_at(point)
        self._active_drag = self._drag_at(point, region, self._grip_at(point))
        is_range = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if (is_range or event.modifiers() & Qt.KeyboardModifier.ControlModifier) and selection != WHOLE_PAGE:
            self.picked_also.emit(selection, is_range)
        elif selection == self._selection and selection.kind in ("cell", "text", "header", "footer"):
            self._waiting = (selection, self._rect_under(point))
            if self._active_drag is None:
                self._edit_waiting()
        else:
            self.picked.emit(selection)

    def _drag_at(self, point: QPoint, region: HitRegion | None, grip: FrameItemGrip | None) -> Drag | None:
        """What a press takes hold of: an item of a frame, a column, a rail, a block; or a corner of a rectangle."""
        if grip is not None:
            return ItemDrag(self, grip, point, self.item_dropped.emit)
        under = self.under(point)
        held, beside = self._bracket_at(point), self._beside(point)
        if held is not None and beside is not None:
            return RailMoveDrag(self, held, beside[0], point, self.level_dropped.emit)
        if region is not None and under is not None and is_title(region):
            return ColumnMoveDrag(self, region, under[0], point, self.column_dropped.emit)
        if region is None:
            return RectangleDrag(self, under[0], point, self.blocks_touched.emit) if under is not None else None
        return lifted(self, self._blocks, region.block, point, self.block_dropped.emit)

    def _edit_waiting(self) -> None:
        if self._waiting is not None:
            waiting, self._waiting = self._waiting, None
            self.edit_wanted.emit(*waiting)

    def _grip_at(self, point: QPoint) -> FrameItemGrip | None:
        """The item of a frame that a press at a point takes hold of."""
        under = self.under(point)
        if under is None or under[0] not in self._shown or self._document is None:
            return None
        frames = [block for block in walk(self._blocks) if isinstance(block, FrameBlock)]
        return grip_at(self._shown[under[0]].places, frames, *under, self.scale()) if frames else None

    def document_on(self, page: int) -> Document | None:
        """The document whose page is on the screen: the one before, while those of an edit are being drawn."""
        shown = self._shown.get(page)
        return shown.document if shown is not None else None

    def extents(self, frame: str) -> dict[int, tuple[int, int]]:
        """How large a frame's items are on the pages that are shown."""
        return extents_of((self._shown[index].places for index in sorted(self._shown)), frame)

    def _spot_at(self, point: QPoint) -> HitRegion | None:
        """What is under a point."""
        under = self.under(point)
        return self._shown[under[0]].places.region_at(*under[1:]) if under and under[0] in self._shown else None

    def _emit_selection(self, point: QPoint) -> None:
        under, region = self.under(point), self._spot_at(point)
        if under is not None and region is not None:
            self._pointed = under[0], region
            self.spot_clicked.emit(under[0], region)

    def pointed(self) -> tuple[int, HitRegion] | None:
        """The instance of what is selected that was pointed at, or else the first in view, with its page."""
        if self._pointed is not None and selects(self._selection, self._pointed[1]):
            page, region = self._pointed
            found = same_instance(region, self._shown[page].places.regions) if page in self._shown else None
            if found is not None:
                return page, found
        return self.first_instance(self._selection)

    def _pointed_rect(self) -> QRect | None:
        found = self.pointed()
        return spot_rect(self.page_rect(found[0]), found[1], self.scale()).toRect() if found is not None else None

    def edit_pointed(self) -> None:
        """Ask to edit the selected part where it is."""
        self.edit_wanted.emit(self._selection, self._pointed_rect() or QRect(self.viewport().rect().center(), QSize()))

    def selection_on_screen(self) -> QRect:
        """Where the selected part is on the screen, or the middle of the pages."""
        place = self._pointed_rect() or QRect(self.viewport().rect().center(), QSize(1, 1))
        return QRect(self.viewport().mapToGlobal(place.topLeft()), place.size())

    def first_instance(self, selection: Selection) -> tuple[int, HitRegion] | None:
        """The first instance of a part on the pages in view, with its page."""
        for index in self._visible():
            for region in self._shown[index].places.regions if index in self._shown else ():
                if (region.column is not None or region.row == "readout") and selects(selection, region):
                    return index, region
        return None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag what was taken hold of, or show what a press would take hold of."""
        assert event is not None
        point = event.position().toPoint()
        if self._active_drag is None or not event.buttons() & Qt.MouseButton.LeftButton:
            self._show_pointer(point, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
            return
        self._active_drag.move(point, bool(event.modifiers() & Qt.KeyboardModifier.AltModifier))
        if self._active_drag.has_moved:
            self._waiting = None
        self.viewport().update()

    def _pull(self, start: QPoint, point: QPoint | None) -> None:
        """Move the selected block by its handle, from a point to another one; without one, it is let go."""
        if point is None:
            self.mouseReleaseEvent(None)
            return
        if self._active_drag is None:
            self._active_drag = lifted(self, self._blocks, self._selection.block, start, self.block_dropped.emit, True)
        if self._active_drag is not None:
            self._active_drag.move(point, False)
        self.viewport().update()

    def _show_pointer(self, point: QPoint, follows: bool) -> None:
        """Show what a press would do: take hold of an edge, or follow a link."""
        region = self._spot_at(point)
        link = region.link if region is not None else None
        shape = Qt.CursorShape.PointingHandCursor if link and follows else Qt.CursorShape.ArrowCursor
        line, grip = self._line_at(point), self._grip_at(point)
        if line is not None or (grip is not None and shape == Qt.CursorShape.ArrowCursor):
            shape = line.pointer if line is not None else POINTERS[grip.edges]
        self.viewport().setCursor(shape)
        self.viewport().setToolTip(link_hint(link) if link else line.hint if line is not None else "")

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let go of what was dragged: a column's edge, which sets its width, a guide, or a block."""
        drag, self._active_drag = self._active_drag, None
        self.viewport().update()
        if drag is not None and drag.has_moved:
            drag.drop()
        else:
            self._edit_waiting()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Choose what is pointed at, and ask for its menu."""
        assert event is not None
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            self.menu_wanted.emit(self.selection_on_screen().bottomLeft())
            return
        under, found = self.under(event.pos()), self._spot_at(event.pos())
        if under is not None and found is not None:
            self._pointed = under[0], found
        if (selection := self._selection_at(event.pos())) not in (self._selection, *self._also):  # those stay selected
            self.picked.emit(selection)
        place = self._pointed_rect() if found is not None else None
        beside = QPoint(place.right() + 4, event.y()) if place is not None else event.pos()
        self.menu_wanted.emit(self.viewport().mapToGlobal(beside))  # what it is of stays in sight

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scroll; with Ctrl, zoom."""
        assert event is not None
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom_by(1 if event.angleDelta().y() > 0 else -1)
            return
        super().wheelEvent(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Keys: pages, the ends of the document, and leaving a drag."""
        assert event is not None
        bar, key = self.verticalScrollBar(), Qt.Key(event.key())
        keys: dict[Qt.Key, Callable[[], None]] = {
            Qt.Key.Key_PageDown: lambda: self.go_to(self.current_page + 1),
            Qt.Key.Key_PageUp: lambda: self.go_to(self.current_page - 1),
            Qt.Key.Key_Home: lambda: self.go_to(0),
            Qt.Key.Key_End: lambda: self.go_to(self.page_count - 1),
            Qt.Key.Key_Down: lambda: bar.setValue(bar.value() + bar.singleStep()),
            Qt.Key.Key_Up: lambda: bar.setValue(bar.value() - bar.singleStep()),
            **dict.fromkeys((Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2), self.edit_pointed),
        }
        action, arrow = keys.get(key), ARROWS.get(key)
        if key == Qt.Key.Key_Escape and self._active_drag is not None:
            self._active_drag = None
            self.viewport().update()
        elif arrow is not None and self._is_in_frame:
            self.nudged.emit(*arrow, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif action is not None:
            action()
        else:
            super().keyPressEvent(event)
