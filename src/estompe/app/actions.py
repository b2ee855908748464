"""What each command does."""

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtGui import QImage, QKeySequence
from PyQt6.QtWidgets import QApplication, QMessageBox

from estompe import __version__
from estompe.app.sheets.help_sheet import HelpSheet
from estompe.app.widgets.number import NumberField
from estompe.document.edits import EditError
from estompe.render.picture import save_png
from estompe.render.renderer import Picture
from estompe.setups.adding import add_control, add_shape
from estompe.setups.push_near import push_near

if TYPE_CHECKING:
    from estompe.app.window import Window


class Actions:
    """One method per command, by the command's name."""

    def __init__(self, window: "Window") -> None:
        self.window = window
        self.session, self.files, self.work, self.preferences = (
            window.session,
            window.files,
            window.work,
            window.preferences,
        )
        self.view, self.cast, self.time, self.status = window.view, window.cast, window.time, window.status
        self.measure, self.drive = window.measure, window.drive

    def close(self) -> None:
        self.window.close()

    def new_scene(self) -> None:
        self.files.new_scene()

    def open_file(self) -> None:
        self.files.ask_open()

    def save(self) -> None:
        self.files.save()

    def save_as(self) -> None:
        self.files.ask_save_as()

    def bring_in(self) -> None:
        self.files.ask_bring_in()

    def send_out(self) -> None:
        self.files.ask_send_out()

    def send_sequence(self) -> None:
        self.files.ask_send_sequence()

    def save_picture(self) -> None:
        path = self.files.ask_picture()
        if path is not None:
            self.save_picture_to(path)

    def save_picture_to(self, path: Path) -> None:
        """Write the view, with what is drawn over it, as PNG."""
        image = self.view.grab().toImage().convertToFormat(QImage.Format.Format_RGBX8888)
        bits = image.constBits()
        bits.setsize(image.sizeInBytes())
        picture: Picture = np.frombuffer(bits, np.uint8).reshape(image.height(), -1, 4)[:, : image.width()]
        try:
            save_png(picture, path)
            self.status.say(f"saved {path.name}")
        except OSError as error:
            self.status.say(f"{path}: cannot be written ({error.strerror or error})", "error")

    def start_sheet(self) -> None:
        self.window.show_start()

    def undo(self) -> None:
        self.session.undo()

    def redo(self) -> None:
        self.session.redo()

    def remove_picked(self) -> None:
        """Remove the picked shape or control."""
        if self.session.picked[:1] in (("shapes",), ("controls",)):
            self.cast.remove(self.session.picked)

    def duplicate_picked(self) -> None:
        """Duplicate the picked shape or control."""
        if self.session.picked[:1] in (("shapes",), ("controls",)):
            self.cast.duplicate(self.session.picked)

    def add_shape(self, name: str, source) -> None:
        """Add a shape made from nothing and make it current."""
        scene, made = add_shape(self.session.scene, name, source)
        self.session.commit(scene, f"Add {name}")
        self.session.choose_shape(made)

    def add_control(self, form) -> None:
        """Add a control where the view looks, and pick it."""
        x, y, z = self.view.viewpoint.target
        scene, made = add_control(self.session.scene, form, "Control", (round(x, 2), round(y, 2), round(z, 2)))
        self.session.commit(scene, "Add control")
        self.session.choose_control(made)

    def add_falloff(self) -> None:
        self.measure.add_falloff()

    def add_effect(self) -> None:
        """Offer the effects beside the cards."""
        menu = self.drive.kinds_menu(self.window)
        menu.popup(self.drive.mapToGlobal(self.drive.rect().topLeft()))

    def push_near(self) -> None:
        """The quick set-up on the current shape."""
        shape, answer = self.session.shape, self.session.answer
        if shape is None or answer is None or shape.id not in {item.id for item in answer.frame.scene.shapes}:
            self.status.say("choose a shape first: the set-up takes its sizes from one", "error")
            return
        low, high = answer.frame[shape.id].bounds
        scene, control, falloff = push_near(self.session.scene, shape.id, low, high)
        self.session.falloff_id = falloff
        self.session.commit(scene, f"Push {shape.name} near a control")
        self.session.choose_control(control)
        self.session.choose_falloff(falloff)
        self.session.ask()

    def mode_shaded(self) -> None:
        self.view.set_mode("shaded")

    def mode_strength(self) -> None:
        self.view.set_mode("strength")

    def mode_wire(self) -> None:
        self.view.set_mode("wire")

    def fit(self) -> None:
        self.view.fit()

    def toggle_camera(self) -> None:
        self.view.look_through_camera(not self.view.through_camera)

    def _choose_theme(self, name: str) -> None:
        self.preferences.theme = name
        self.preferences.save()
        self.window.apply_theme()

    def theme_paper(self) -> None:
        self._choose_theme("paper")

    def theme_charcoal(self) -> None:
        self._choose_theme("charcoal")

    def theme_desktop(self) -> None:
        self._choose_theme("desktop")

    def tool_move(self) -> None:
        self.view.set_tool("move")

    def tool_turn(self) -> None:
        self.view.set_tool("turn")

    def tool_size(self) -> None:
        self.view.set_tool("size")

    def key_picked(self) -> None:
        """Key the number under the pointer, or else what the handles change."""
        under = QApplication.widgetAt(self.window.cursor().pos())
        if isinstance(under, NumberField) and under.window() is self.window and under.rule.kind in ("number", "triple"):
            self.session.toggle_key(under.path)
            return
        picked = self.session.picked
        if not picked:
            self.status.say("pick a shape or control first, or point at a number", "warning")
            return
        part = "place" if picked == ("camera",) else {"move": "place", "turn": "turn", "size": "size"}[self.view.tool]
        base = (*picked, part) if picked == ("camera",) else (*picked, "placement", part)
        try:
            self.session.toggle_keys([(*base, axis) for axis in range(3)])
        except EditError as error:
            self.status.say(str(error), "error")

    def play(self) -> None:
        self.time.player.toggle()

    def step_back(self) -> None:
        self.time.step(-1)

    def step_on(self) -> None:
        self.time.step(1)

    def previous_key(self) -> None:
        self.time.next_key(-1)

    def next_key(self) -> None:
        self.time.next_key(1)

    def next_falloff(self) -> None:
        """Make the next falloff in the Cast current."""
        ids = [item.id for item in self.session.scene.falloffs]
        if ids:
            index = ids.index(self.session.falloff_id) if self.session.falloff_id in ids else -1
            self.session.choose_falloff(ids[(index + 1) % len(ids)])

    def cancel_work(self) -> None:
        """Cancel long work; with none, leave a sheet."""
        if self.session.linking is not None:
            self.session.linking = None
            self.status.say("nothing was linked")
        elif self.work.running:
            self.work.cancel()
        elif self.session.started:
            self.window.sheets.setCurrentWidget(self.view)

    def list_problems(self) -> None:
        """Say everything that is wrong with the scene on this frame."""
        answer = self.session.answer
        problems = answer.frame.problems if answer is not None else ()
        text = "; ".join(f"{self.session.name_of(item.path[:2])}: {item.text}" for item in problems)
        self.status.say(text or "nothing is wrong on this frame", "error" if text else "")

    def help_sheet(self) -> None:
        """Show the shortcuts."""
        keys = {name: action.shortcut().toString() for name, action in self.window.actions_by_name.items()}
        sheet = HelpSheet(keys)
        sheet.closed.connect(
            lambda: self.window.sheets.setCurrentWidget(self.view) if self.session.started else self.window.show_start()
        )
        sheet.changed.connect(self.change_shortcut)
        self.window.show_sheet(sheet)

    def change_shortcut(self, name: str, keys: str) -> None:
        """Give a command other keys; a command that had them loses them."""
        for other, action in self.window.actions_by_name.items():
            if other != name and keys and action.shortcut().toString() == keys:
                action.setShortcut(QKeySequence())
                self.preferences.shortcuts[other] = ""
                self.status.say(f"{keys} no longer does “{action.text()}”", "warning")
        self.window.actions_by_name[name].setShortcut(QKeySequence(keys))
        self.preferences.shortcuts[name] = keys
        self.preferences.save()

    def about(self) -> None:
        """Say which version this is."""
        text = f"Estompe {__version__}\nFalloff-driven procedural effects.\nFree software under the GNU GPL, version 3 or later."
        QMessageBox.about(self.window, "About Estompe", text)
