"""The steps that were done and undone as a list beside the view; a click goes to one."""

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFrame, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from estompe.app.model.document import DocumentModel
from estompe.app.widgets.labels import label

_SIZE = 300, 380


class StepsList(QFrame):
    """Stays open while one goes to and fro; a click outside or Esc closes it."""

    def __init__(self, document: DocumentModel, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setObjectName("sheet")
        self._document = document
        self.list = QListWidget()
        self.list.setAccessibleName("Steps")
        self.list.addItem("the beginning")
        for words in document.steps:
            self.list.addItem(words)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.addWidget(label("Steps: a click goes there", "soft"))
        layout.addWidget(self.list)
        self._mark()
        self.list.itemClicked.connect(self._go)
        self.list.itemActivated.connect(self._go)

    def open_at(self, corner: QPoint) -> None:
        """Show the list with its upper left corner at a place of the screen."""
        self.setGeometry(corner.x(), corner.y(), *_SIZE)
        self.show()
        self.list.setFocus()
        self.list.scrollToItem(self.list.item(self._document.steps_done))

    def _go(self, item: QListWidgetItem) -> None:
        self._document.go_to_step(self.list.row(item))
        self._mark()

    def _mark(self) -> None:
        """Show which steps are done: the last of them in bold, undone ones greyed."""
        done = self._document.steps_done
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None:
                font = item.font()
                font.setBold(row == done)
                item.setFont(font)
                item.setForeground(
                    self.palette().color(
                        self.palette().ColorGroup.Normal if row <= done else self.palette().ColorGroup.Disabled,
                        self.palette().ColorRole.Text,
                    )
                )
        self.list.setCurrentRow(done)
