"""The bar over the picture: how shapes are drawn, and where the picture is taken from."""

from collections.abc import Callable
from typing import Protocol

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QMenu, QToolButton, QWidget

from estompe.app.session import Session
from estompe.app.theme import OVER_PICTURE
from estompe.app.view.aids import DIRECTIONS, view_name
from estompe.render import Viewpoint
from estompe.render.item import Mode
from estompe.render.view_transform import ViewError, ViewTransform, view_names

# Buttons over the picture keep their colours in both themes: the picture's ground is light in both.
_OVER_PICTURE = f"""
QToolButton {{ color: {OVER_PICTURE.ink}; padding: 4px 10px; }}
QToolButton:checked {{ background: {OVER_PICTURE.rim}; }}
QToolButton:hover {{ background: rgba(255, 255, 255, 90); }}
QToolButton::menu-indicator {{ image: none; width: 0; }}
"""
_GAMMAS = (0.5, 0.7, 0.85, 1.0, 1.2, 1.5, 2.2)
MODES: tuple[Mode, ...] = ("shaded", "strength", "wire", "pieces")


class Looks(Protocol):
    """The view that the bar belongs to."""

    session: Session
    through_camera: bool
    free: Viewpoint

    @property
    def viewpoint(self) -> Viewpoint:
        """Where the picture is taken from now."""

    def set_mode(self, mode: Mode) -> None:
        """Draw shapes in another way."""

    def look_through_camera(self, on: bool) -> None:
        """Look through the scene's camera, or freely."""

    def look_along(self, direction: tuple[float, float, float]) -> None:
        """Look freely along a direction of the world."""

    def toggle_parallel(self) -> None:
        """Look with parallel rays, or in perspective."""

    def choose_camera(self, name: str) -> None:
        """Look through another of the scene's cameras."""

    def place_camera(self) -> None:
        """Put the camera where the view is."""

    @property
    def shown_as(self) -> ViewTransform:
        """How light is shown."""

    def show_as(self, view: ViewTransform) -> None:
        """Show light in another way."""


class Bar(QHBoxLayout):
    """Laid out at the top of a view."""

    def __init__(self, view: Looks, parent: QWidget) -> None:
        super().__init__(parent)
        self._view = view
        self.setContentsMargins(10, 5, 10, 5)
        self.setSpacing(2)
        self.setAlignment(Qt.AlignmentFlag.AlignTop)
        group = QButtonGroup(parent)
        self._buttons: dict[str, QToolButton] = {}
        for mode in MODES:
            button = self._button(mode.capitalize())
            button.setCheckable(True)
            button.clicked.connect(lambda _, mode=mode: view.set_mode(mode))
            group.addButton(button)
            self._buttons[mode] = button
        self.addStretch(1)
        words = "How light is shown in the view: the display's curve, exposure and gamma"
        self.display = self._menu_button(words, self.fill_display_menu)
        self.camera = self._menu_button(
            "Look freely, from one side, or through the scene's camera", self.fill_camera_menu
        )

    def _button(self, text: str) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setStyleSheet(_OVER_PICTURE)
        self.addWidget(button)
        return button

    def _menu_button(self, words: str, fill: Callable[[QMenu], None]) -> QToolButton:
        button = self._button("")
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        button.setToolTip(words)
        menu = QMenu(button)
        menu.aboutToShow.connect(lambda: fill(menu))
        button.setMenu(menu)
        return button

    def show_mode(self, mode: Mode) -> None:
        """Show how shapes are drawn now."""
        self._buttons[mode].setChecked(True)

    def show_camera(self) -> None:
        """Show where the picture is taken from now."""
        view = self._view
        name = view.session.document.scene.camera.name if view.through_camera else view_name(view.free)
        self.camera.setText(f"{name} ▾")

    def show_display(self) -> None:
        """Show how light is shown now."""
        self.display.setText(f"{self._view.shown_as.words} ▾")

    def fill_display_menu(self, menu: QMenu) -> None:
        """The curve of sRGB, the views of each display, exposure and gamma."""
        view, now = self._view, self._view.shown_as
        menu.clear()
        _check(menu.addAction("sRGB", lambda: view.show_as(now._replace(name=""))), not now.name)
        try:
            names = view_names()
        except ViewError as error:
            menu.addAction(str(error)).setEnabled(False)
            names = []
        displays: dict[str, QMenu] = {}
        for name in names:
            display, _, words = name.partition("/")
            below = displays[display] if display in displays else QMenu(display, menu)
            if display not in displays:
                menu.addMenu(below)
                displays[display] = below
            _check(below.addAction(words, lambda name=name: view.show_as(now._replace(name=name))), name == now.name)
        menu.addSeparator()
        for words, exposure in (
            ("Half a stop brighter", now.exposure + 0.5),
            ("Half a stop darker", now.exposure - 0.5),
            ("Exposure 0", 0.0),
        ):
            menu.addAction(words, lambda exposure=exposure: view.show_as(now._replace(exposure=exposure)))
        gammas = menu.addMenu(f"Gamma {now.gamma:g}")
        for gamma in _GAMMAS:
            _check(
                gammas.addAction(f"{gamma:g}", lambda gamma=gamma: view.show_as(now._replace(gamma=gamma))),
                gamma == now.gamma,
            )

    def fill_camera_menu(self, menu: QMenu) -> None:
        """The free view and its sides, each camera of the scene, and putting the camera where the view is."""
        view, scene = self._view, self._view.session.document.scene
        menu.clear()
        menu.addAction("Free view", lambda: view.look_through_camera(False))
        sides = menu.addMenu("From one side")
        for words, direction in DIRECTIONS.items():
            sides.addAction(words, lambda direction=direction: view.look_along(direction))
        parallel = menu.addAction("Parallel rays", view.toggle_parallel)
        parallel.setCheckable(True)
        parallel.setChecked(bool(view.viewpoint.parallel))
        menu.addSeparator()
        menu.addAction(f"Through {scene.camera.name}", lambda: view.look_through_camera(True))
        for camera in scene.other_cameras:
            menu.addAction(f"Through {camera.name}", lambda name=camera.name: view.choose_camera(name))
        menu.addSeparator()
        menu.addAction("Put the camera here", view.place_camera)


def _check(action: QAction | None, on: bool) -> None:
    """Mark the choice that holds now."""
    if action is not None:
        action.setCheckable(True)
        action.setChecked(on)
