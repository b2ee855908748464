"""What each command does."""

from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtGui import QImage, QKeySequence
from PyQt6.QtWidgets import QApplication, QMessageBox

from estompe import __version__
from estompe.app.sheets.help_sheet import HelpSheet
from estompe.app.sheets.routing_sheet import RoutingSheet
from estompe.app.sheets.table_sheet import TableSheet
from estompe.app.widgets.number import NumberField
from estompe.document import edits
from estompe.document.edits import EditError
from estompe.falloffs.painted import Painted
from estompe.render.picture import save_png
from estompe.render.renderer import Picture
from estompe.setups.adding import FIRST_PATH, add_control, add_painted, add_shape, paste_effects, subdivide_on_ramp
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
        if len(self.session.picked) == 2:
            self.cast.remove(self.session.picked)

    def duplicate_picked(self) -> None:
        """Duplicate the picked shape or control."""
        if len(self.session.picked) == 2:
            self.cast.duplicate(self.session.picked)

    def add_shape(self, name: str, source) -> None:
        """Add a shape made from nothing and make it current."""
        scene, made = add_shape(self.session.scene, name, source)
        self.session.commit(scene, f"Add {name}")
        self.session.choose_shape(made)

    def add_control(self, form) -> None:
        """Add a control where the view looks, and pick it; a path gets its first points."""
        x, y, z = self.view.viewpoint.target
        scene, made = add_control(self.session.scene, form, "Control", (round(x, 2), round(y, 2), round(z, 2)))
        if form == "path":
            scene = edits.put(scene, ("controls", made, "points"), FIRST_PATH)
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
        if len(picked) == 4:
            self.session.toggle_keys([(*picked, "settings", "pivot", axis) for axis in range(3)])
            return
        if "joints" in picked:
            self.session.toggle_keys([(*picked, "turn", axis) for axis in range(3)])
            return
        part = "place" if picked == ("camera",) else {"move": "place", "turn": "turn", "size": "size"}[self.view.tool]
        base = (*picked, part) if picked == ("camera",) else (*picked, "placement", part)
        try:
            self.session.toggle_keys([(*base, axis) for axis in range(3)])
        except EditError as error:
            self.status.say(str(error), "error")

    def _toggle_sheet(self, kind: type[RoutingSheet] | type[TableSheet]) -> None:
        """Lay a sheet over the view, or take it away."""
        if isinstance(self.window.sheets.currentWidget(), kind):
            self.window.show_view()
            return
        sheet = kind(self.session)
        sheet.closed.connect(self.window.show_view)
        self.window.show_sheet(sheet)

    def routing(self) -> None:
        self._toggle_sheet(RoutingSheet)

    def table(self) -> None:
        self._toggle_sheet(TableSheet)

    def curves(self) -> None:
        """Show keys as curves, or as tacks."""
        self.time.show_curves(not self.time.curves_button.isChecked())

    def brush(self) -> None:
        """Paint the mask of the current falloff, which gets one if it has none; or put the brush away."""
        if self.session.painting.path is not None:
            self.session.painting.take(None)
            return
        falloff = self.session.falloff
        if falloff is None or self.session.shape is None:
            self.status.say("painting needs a shape and a falloff: choose or add them first", "error")
            return
        layer = next((item.id for item in falloff.layers if isinstance(item.source, Painted)), None)
        if layer is None:
            scene, layer = add_painted(self.session.scene, falloff.id)
            self.session.commit(scene, f"Add Painted to {falloff.name}")
        self.session.choose_falloff(falloff.id, layer)
        self.session.painting.take(("falloffs", falloff.id, "layers", layer, "source", "mask"))

    def pin_probe(self) -> None:
        """Show the course over time of the value at the pointer, or no more."""
        self.time.canvas.pin(None if self.time.canvas.pinned is not None else self.view.pointer.nearest_point())

    def mark_coarse(self) -> None:
        """Mark the edges between which the ramp falls too far, or no more."""
        self.view.mark_coarse(not self.view.marks_coarse)

    def subdivide_there(self) -> None:
        """Subdivide the current shape where the current falloff's ramp is steep, before its effects."""
        shape, falloff = self.session.shape, self.session.falloff
        if shape is None or falloff is None:
            self.status.say("choose a shape and a falloff first", "error")
            return
        self.session.commit(subdivide_on_ramp(self.session.scene, shape.id, falloff.id), f"Subdivide {shape.name}")

    def take_reference(self) -> None:
        """Keep the picture as it is now, to compare with."""
        self.view.take_reference()
        self.status.say("kept; W wipes between this picture and what comes")

    def wipe(self) -> None:
        """Wipe between the kept picture and now."""
        if not self.view.toggle_wipe():
            self.status.say("keep a picture first: Shift+R", "warning")

    def copy_effects(self) -> None:
        """Take note of the current shape's effects; linked falloffs stay the same ones."""
        if self.session.shape is not None:
            self.session.clipboard = self.session.shape.effects
            self.status.say(f"copied {len(self.session.clipboard)} effects of {self.session.shape.name}")

    def paste_effects(self) -> None:
        """Add the copied effects to the current shape."""
        if self.session.shape is None or not self.session.clipboard:
            self.status.say("copy a shape's effects first, then choose another shape", "warning")
            return
        scene = paste_effects(self.session.scene, self.session.shape.id, self.session.clipboard)
        self.session.commit(scene, f"Paste effects to {self.session.shape.name}")

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
        elif self.session.painting.path is not None:
            self.session.painting.take(None)
        elif self.session.started:
            self.window.show_view()

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
        sheet.closed.connect(lambda: self.window.show_view() if self.session.started else self.window.show_start())
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
