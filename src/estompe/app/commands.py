"""Everything the window can be told to do, as data: menus, shortcuts and the help sheet are made from it."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Command:
    """name: the window's method; menu: where it stands, "" for none; keys: its first shortcut."""

    name: str
    text: str
    menu: str = ""
    keys: str = ""


COMMANDS = (
    Command("new_scene", "New", "File", "Ctrl+N"),
    Command("open_file", "Open…", "File", "Ctrl+O"),
    Command("save", "Save", "File", "Ctrl+S"),
    Command("save_as", "Save as…", "File", "Ctrl+Shift+S"),
    Command("bring_in", "Bring in a mesh…", "File", "Ctrl+I"),
    Command("send_out", "Send out an animated scene…", "File", "Ctrl+E"),
    Command("send_sequence", "Send out a mesh sequence…", "File"),
    Command("save_picture", "Save the view as a picture…", "File"),
    Command("start_sheet", "Samples and recent files", "File"),
    Command("close", "Quit", "File", "Ctrl+Q"),
    Command("undo", "Undo", "Edit", "Ctrl+Z"),
    Command("redo", "Redo", "Edit", "Ctrl+Shift+Z"),
    Command("remove_picked", "Remove what is picked", "Edit", "Delete"),
    Command("duplicate_picked", "Duplicate what is picked", "Edit", "Ctrl+D"),
    Command("add_effect", "Effect", "Add", "Ctrl+Shift+A"),
    Command("add_falloff", "Falloff", "Add"),
    Command("push_near", "Quick set-up: Push near a control", "Add", "Ctrl+Shift+P"),
    Command("mode_shaded", "Shaded", "View", "1"),
    Command("mode_strength", "Strength", "View", "2"),
    Command("mode_wire", "Wire", "View", "3"),
    Command("fit", "Fit", "View", "F"),
    Command("toggle_camera", "Through the camera", "View", "C"),
    Command("theme_paper", "Paper", "View"),
    Command("theme_charcoal", "Charcoal", "View"),
    Command("theme_desktop", "Follow the desktop", "View"),
    Command("tool_move", "Move handles", "Edit", "M"),
    Command("tool_turn", "Turn handles", "Edit", "T"),
    Command("tool_size", "Size handles", "Edit", "S"),
    Command("key_picked", "Key what is picked", "Edit", "K"),
    Command("routing", "Routing", "View", "R"),
    Command("table", "Table", "View", "D"),
    Command("curves", "Keys as curves", "View", "G"),
    Command("brush", "Paint", "Edit", "B"),
    Command("pin_probe", "Follow the value at the pointer", "Check", "P"),
    Command("mark_coarse", "Mark where the mesh is too coarse", "Check", "Shift+D"),
    Command("subdivide_there", "Subdivide where it is too coarse", "Check"),
    Command("take_reference", "Keep this picture to compare", "Check", "Shift+R"),
    Command("wipe", "Wipe between then and now", "Check", "W"),
    Command("copy_effects", "Copy the shape's effects", "Edit", "Ctrl+C"),
    Command("paste_effects", "Paste effects", "Edit", "Ctrl+V"),
    Command("play", "Play or stop", "", "Space"),
    Command("step_back", "One frame back", "", ","),
    Command("step_on", "One frame on", "", "."),
    Command("previous_key", "Previous key", "", "["),
    Command("next_key", "Next key", "", "]"),
    Command("next_falloff", "Next falloff", "", "Tab"),
    Command("cancel_work", "Cancel what is running", "", "Esc"),
    Command("list_problems", "List what is wrong", "Check"),
    Command("help_sheet", "Shortcuts", "Help", "F1"),
    Command("about", "About Estompe", "Help"),
)
MENUS = ("File", "Edit", "Add", "View", "Check", "Help")
