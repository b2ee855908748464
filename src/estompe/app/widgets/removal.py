"""Widgets on their way out."""

from PyQt6 import sip
from PyQt6.QtWidgets import QWidget

_leaving: list[QWidget] = []


def remove_widget(widget: QWidget) -> None:
    """Hide a widget, and delete it once its events are through.

    Until then it may send signals, such as that it lost the focus. `deleteLater` hands it over to Qt, so that nothing in
    Python holds it, and the collector clears what its slots refer to: the next signal would end in a crash. So it is held
    here until it is gone.
    """
    _leaving[:] = [other for other in _leaving if not sip.isdeleted(other)]
    _leaving.append(widget)
    widget.hide()
    widget.deleteLater()
