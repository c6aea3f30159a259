"""A piece of the window on which files can be dropped."""

from collections.abc import Callable

from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QFileDialog, QWidget


class FileDrop(QWidget):
    """Takes files by drop or by a dialog and hands their paths to take_paths."""

    def __init__(self, take_paths: Callable[[list[str]], None]) -> None:
        super().__init__()
        self._take_paths = take_paths
        self.setAcceptDrops(True)

    def ask_for_files(self) -> None:
        """Choose files in a dialog."""
        paths, _ = QFileDialog.getOpenFileNames(self.window(), "Add files")
        self._take_paths(paths)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        urls = event.mimeData().urls()
        self._take_paths([url.toLocalFile() for url in urls if url.isLocalFile()])
        event.acceptProposedAction()
