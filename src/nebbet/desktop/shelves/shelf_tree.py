"""The shelves: a tree to choose from, to arrange by hand and to drop templates on."""

from collections.abc import Mapping

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QDragMoveEvent, QDropEvent, QKeyEvent
from PySide6.QtWidgets import QAbstractItemView, QTreeWidget, QTreeWidgetItem

from nebbet.desktop.kit import theme
from nebbet.desktop.kit.picker import ASIDE, KEY, Choice, TwoLines
from nebbet.desktop.shelves.table import MIME, templates_in
from nebbet.library.holdings import Shelf, parents_first

ALL, LATELY, MOST, RETIRED = "all", "lately", "most", "retired"
_FLAG = Qt.ItemFlag


class ShelfTree(QTreeWidget):
    """Shows the shelves. chosen tells which one is at hand; ordered the shelves in another order;
    renamed a shelf and its new name; dropped a shelf and the templates dropped on it; unwanted a
    shelf that is to be taken down."""

    chosen = Signal()
    ordered = Signal(object)
    renamed = Signal(str, str)
    dropped = Signal(str, object)
    unwanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        theme.named(self, "Shelves")
        self.setHeaderHidden(True)
        self.setIndentation(14)
        self.setItemDelegate(TwoLines(self))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self._shelves: dict[str, Shelf] = {}
        self._may_arrange = False
        self._closed: set[str] = set()
        self.currentItemChanged.connect(lambda *_: self.chosen.emit())
        self.itemChanged.connect(self._edited)
        self.itemCollapsed.connect(lambda item: self._closed.add(_key(item)))
        self.itemExpanded.connect(lambda item: self._closed.discard(_key(item)))

    @property
    def key(self) -> str:
        """The shelf, or the list, at hand."""
        item = self.currentItem()
        return _key(item) if item else ""

    def show_shelves(
        self,
        before: list[Choice],
        shelves: tuple[Shelf, ...],
        counts: Mapping[str, int],
        after: list[Choice],
        *,
        may_arrange: bool,
    ) -> None:
        """Show the shared shelves as a tree, with lists before and after them; what was at hand
        stays so if it is still there, else it is the first."""
        kept = self.key
        self.blockSignals(True)
        self.clear()
        self._may_arrange = may_arrange
        self._shelves = {shelf.id: shelf for shelf in shelves}
        for choice in before:
            self._add(choice, None)
        items: dict[str, QTreeWidgetItem] = {}
        for shelf in parents_first(shelves):
            choice = Choice(shelf.id, shelf.name, aside=str(counts.get(shelf.id, 0)))
            items[shelf.id] = self._add(choice, items.get(shelf.parent), of_shelf=True)
        for choice in after:
            self._add(choice, None)
        for key, item in items.items():
            item.setExpanded(key not in self._closed)
        self.blockSignals(False)
        self.choose(kept)

    def _add(
        self, choice: Choice, parent: QTreeWidgetItem | None, *, of_shelf: bool = False
    ) -> QTreeWidgetItem:
        item = QTreeWidgetItem(parent or self.invisibleRootItem(), [choice.text])
        item.setData(0, KEY, choice.key)
        item.setData(0, ASIDE, choice.aside)
        said = f"{choice.text}, {choice.aside} templates" if choice.aside else choice.text
        item.setData(0, Qt.ItemDataRole.AccessibleTextRole, said)
        flags = _FLAG.ItemIsEnabled | _FLAG.ItemIsSelectable
        if of_shelf:
            flags |= _FLAG.ItemIsDropEnabled
        if of_shelf and self._may_arrange:
            flags |= _FLAG.ItemIsDragEnabled | _FLAG.ItemIsEditable
        item.setFlags(flags)
        return item

    def choose(self, key: str) -> None:
        """Go to a shelf or list."""
        found = self._item(key) or self.topLevelItem(0)
        if found is not None and found is not self.currentItem():
            self.setCurrentItem(found)

    def _item(self, key: str) -> QTreeWidgetItem | None:
        every = self.findItems("*", Qt.MatchFlag.MatchWildcard | Qt.MatchFlag.MatchRecursive)
        return next((item for item in every if _key(item) == key), None)

    # Arranging

    def rename(self) -> None:
        """Write another name over the one of the shelf at hand."""
        item = self.currentItem()
        if item and item.flags() & _FLAG.ItemIsEditable:
            self.editItem(item)

    def _edited(self, item: QTreeWidgetItem) -> None:
        shelf, name = self._shelves.get(_key(item)), item.text(0).strip()
        if shelf is None or shelf.name == name:
            return
        if name:
            self.renamed.emit(shelf.id, name)
        else:
            item.setText(0, shelf.name)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Alt and an arrow arranges, F2 renames, Delete takes down."""
        key, alt = event.key(), event.modifiers() == Qt.KeyboardModifier.AltModifier
        if key == Qt.Key.Key_F2:
            self.rename()
        elif key == Qt.Key.Key_Delete and self._may_arrange and self.key in self._shelves:
            self.unwanted.emit(self.key)
        elif alt and key in _MOVES:
            self._step(key)
        else:
            super().keyPressEvent(event)

    def _step(self, key: int) -> None:
        """Move the shelf at hand by one step: up, down, onto the one above it, or off its own."""
        item = self.currentItem()
        if item is None or not self._may_arrange or _key(item) not in self._shelves:
            return
        parent = item.parent() or self.invisibleRootItem()
        row = parent.indexOfChild(item)
        above = parent.child(row - 1)
        if key == Qt.Key.Key_Right and above and _key(above) in self._shelves:
            self._put(item, parent, above, above.childCount())
        elif key == Qt.Key.Key_Left and item.parent():
            outer = parent.parent() or self.invisibleRootItem()
            self._put(item, parent, outer, outer.indexOfChild(parent) + 1)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            to = row + (1 if key == Qt.Key.Key_Down else -1)
            if 0 <= to < parent.childCount() and _key(parent.child(to)) in self._shelves:
                self._put(item, parent, parent, to)

    def _put(
        self, item: QTreeWidgetItem, held: QTreeWidgetItem, parent: QTreeWidgetItem, row: int
    ) -> None:
        self.blockSignals(True)
        held.removeChild(item)
        parent.insertChild(row, item)
        parent.setExpanded(True)
        self.setCurrentItem(item)
        self.blockSignals(False)
        self.ordered.emit(self._order())

    def _order(self) -> list[Shelf]:
        """The shelves as they stand in the tree now."""
        found: list[Shelf] = []
        waiting = [(self.invisibleRootItem(), "")]
        while waiting:
            held, parent = waiting.pop(0)
            for row in range(held.childCount()):
                item = held.child(row)
                if shelf := self._shelves.get(_key(item)):
                    found.append(Shelf(shelf.id, shelf.name, parent))
                    waiting.append((item, shelf.id))
        return found

    # Dropping

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        """Templates go onto a shelf; a shelf goes anywhere among the shelves."""
        super().dragMoveEvent(event)
        if templates_in(event.mimeData()) and not self._shelf_under(event):
            event.ignore()
        elif templates_in(event.mimeData()) or self._may_arrange:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Tell what was dropped on a shelf, or put the shelf at hand where it was dropped."""
        event.setDropAction(Qt.DropAction.CopyAction)  # whoever gave it keeps it until it is so
        event.accept()
        if templates := templates_in(event.mimeData()):
            if shelf := self._shelf_under(event):
                self.dropped.emit(shelf, templates)
        elif self._may_arrange:
            self._drop_shelf(event)

    def _drop_shelf(self, event: QDropEvent) -> None:
        """Above or below another shelf, by the edge it is near to; else onto it."""
        item, where = self.currentItem(), event.position().toPoint()
        target = self.itemAt(where)
        if item is None or target is None or _key(item) not in self._shelves:
            return
        above = target
        while above is not None:
            if above is item:
                return  # a shelf cannot stand on itself
            above = above.parent()
        held = item.parent() or self.invisibleRootItem()
        if _key(target) not in self._shelves:
            return
        rect = self.visualItemRect(target)
        parent = target.parent() or self.invisibleRootItem()
        edge = rect.height() // 4
        if rect.top() + edge <= where.y() <= rect.bottom() - edge:
            self._put(item, held, target, target.childCount())
            return
        row = parent.indexOfChild(target) + (1 if where.y() > rect.center().y() else 0)
        if parent is held and held.indexOfChild(item) < row:
            row -= 1
        self._put(item, held, parent, row)

    def _shelf_under(self, event: QDropEvent) -> str:
        item = self.itemAt(event.position().toPoint())
        return _key(item) if item and _key(item) in self._shelves else ""

    def mimeTypes(self) -> list[str]:
        """What can be dropped here."""
        return [*super().mimeTypes(), MIME]


_MOVES = (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right)


def _key(item: QTreeWidgetItem) -> str:
    return str(item.data(0, KEY) or "")
