"""A scrolling area whose headings stay: the one of what is seen at the top does not scroll out."""

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from estompe.app.widgets.labels import Head, hairline


class TitledArea(QScrollArea):
    """Shows a panel that is at least so wide, and scrolls where it is too tall."""

    def __init__(self, widget: QWidget, width: int) -> None:
        super().__init__()
        self._title = QWidget(self)
        self._title.setObjectName("panel")
        self._title.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._head = Head("", "")
        layout = QVBoxLayout(self._title)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self._head)
        layout.addWidget(hairline())
        self._title.hide()
        self.setWidget(widget)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(width)
        self.setMinimumHeight(60)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        widget.installEventFilter(self)

    @property
    def title(self) -> str:
        """The heading that stands at the top because its own place has scrolled out, "" for none."""
        return self._head.title.text() if self._title.isVisible() else ""

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        super().scrollContentsBy(dx, dy)
        self._place()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.LayoutRequest):
            self._place()
        return super().eventFilter(watched, event)

    def _place(self) -> None:
        """Show the last heading that has scrolled out, pushed up by the next one."""
        content, viewport = self.widget(), self.viewport()
        if content is None or viewport is None:
            return
        if content.y() >= 0:
            # Nothing has scrolled out, so no heading is looked for: this is asked each time that a panel is laid out.
            self._title.hide()
            return
        heads = sorted(
            (
                (head.mapTo(content, QPoint()).y() + content.y(), head)
                for head in content.findChildren(Head)
                if head.isVisible()
            ),
            key=lambda item: item[0],
        )
        gone = [(top, head) for top, head in heads if top < 0]
        if not gone:
            self._title.hide()
            return
        top, head = gone[-1]
        self._head.show_as(head)
        height = self._title.sizeHint().height()
        following = next((other for other, _ in heads if other > top), height)
        left = head.mapTo(content, QPoint()).x()
        self._title.layout().setContentsMargins(left, 0, 12, 0)
        self._title.setGeometry(0, min(0, following - height), viewport.width(), height)
        self._title.show()
        self._title.raise_()
