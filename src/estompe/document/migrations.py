"""Older scene files brought up to date, one version at a time, as plain JSON before it becomes structs.

To change the format: raise `VERSION` in `file.py`, add a function here that takes a scene of the version before, and save files
of that version into `tests/data` first.
"""

import re
from collections.abc import Callable, Iterator
from typing import Any

from estompe.geometry.colors import linear_value

Json = dict[str, Any]

# What version 2 renamed inside kinds: the kind's tag, and its settings.
_SOURCES: dict[str, tuple[str, dict[str, str]]] = {
    "height": ("height", {"places": "measured"}),
    "inside": ("inside", {"soft": "softness"}),
    "surface": ("surface", {"up_to": "maximum"}),
    "painted": ("painted", {"places": "rest"}),
    "slope": ("slope", {"rings": "blur"}),
    "bend": ("bend", {"number": "joint"}),
    "noise": (
        "noise",
        {
            "low": "floor", "high": "ceiling", "brightness": "lift", "contrast": "steepness",
            "spread": "irregularity", "apart": "offset",
        },
    ),
}  # fmt: skip
_EFFECTS: dict[str, tuple[str, dict[str, str]]] = {
    "turn": ("rotate", {}),
    "size": ("scale", {"size": "scale"}),
    "colour": ("color", {}),
    "attract": ("attract", {"reach": "radius"}),
    "joints": ("joints", {"reach": "softness"}),
    "ridges": ("ridges", {"dies_out": "fade"}),
    "shell": ("shell", {"use": "mode"}),
    "smooth": ("smooth", {"rounds": "iterations"}),
    "group": ("group", {"picked": "members"}),
    "open-out": ("open-out", {"soft": "front"}),
}
_TRANSFORM = {"place": "position", "turn": "rotation", "size": "scale"}
# Words of formulas after the first one, where every kind used them for the same.
_WORDS = {
    "placement": "transform", "place": "position", "turn": "rotation", "Turn": "Rotate", "Size": "Scale",
    "Colour": "Color", "low": "floor", "high": "ceiling", "brightness": "lift", "contrast": "steepness",
    "spread": "irregularity", "apart": "offset", "dies_out": "fade", "settings": "effect",
}  # fmt: skip
_NAME = re.compile(r"(?:'[^']*'|[^\W\d]\w*)(?:\s*\.\s*(?:'[^']*'|[^\W\d]\w*))+")


def migrate(scene: Json, version: int) -> Json:
    """A scene of an older version as one of the newest. Raises KeyError, TypeError or AttributeError for a broken one."""
    for number in range(version, max(_STEPS) + 1):
        scene = _STEPS[number](scene)
    return scene


def _to_2(scene: Json) -> Json:
    """Standard terms for house words, one name per concept, and ids that are unique over the whole scene."""
    if "camera" in scene:
        scene["camera"] = _renamed(scene["camera"], {"place": "position"})
    scene["controls"] = [_control_2(item) for item in scene.get("controls", [])]
    scene["falloffs"] = [_falloff_2(item) for item in scene.get("falloffs", [])]
    scene["shapes"] = [_shape_2(item) for item in scene.get("shapes", [])]
    for number in _below(scene):
        if number.get("kind") == "keyed":
            number["keys"] = [_renamed(key, {"shape": "interpolation"}) for key in number.get("keys", [])]
        if number.get("kind") == "formula":
            for name in ("text", "formula"):
                if isinstance(number.get(name), str):
                    number[name] = _formula_2(number[name])
    _unique_2(scene)
    return scene


def _control_2(control: Json) -> Json:
    control = _renamed(control, {"placement": "transform"})
    if control.get("form") == "ball":
        control["form"] = "sphere"
    return _transformed_2(control)


def _falloff_2(falloff: Json) -> Json:
    for layer in falloff.get("layers", []):
        layer["source"] = _kind_2(layer["source"], _SOURCES)
        if layer.get("ramp"):
            layer["ramp"] = [_renamed(point, {"shape": "interpolation"}) for point in layer["ramp"]]
    if "ramp" in falloff:
        falloff["ramp"] = [_renamed(point, {"shape": "interpolation"}) for point in falloff["ramp"]]
    return falloff


def _shape_2(shape: Json) -> Json:
    shape = _transformed_2(_renamed(shape, {"placement": "transform"}))
    source = shape["source"]
    if source.get("kind") == "ball":
        source["kind"] = "sphere"
    if source.get("kind") == "mesh":
        source["attributes"] = [_renamed(item, {"blob": "asset"}) for item in source.get("attributes", [])]
    shape["effects"] = [_effect_2(item) for item in shape.get("effects", [])]
    return shape


def _effect_2(slot: Json) -> Json:
    slot = _renamed(slot, {"settings": "effect"})
    slot["effect"] = effect = _kind_2(slot["effect"], _EFFECTS)
    slot["routes"] = [_renamed(route, {"inverted": "one_minus"}) for route in slot.get("routes", [])]
    if effect.get("kind") == "joints":
        effect["joints"] = [_renamed(joint, _TRANSFORM) for joint in effect.get("joints", [])]
    if effect.get("kind") == "poses":
        effect["poses"] = [_renamed(pose, {"places": "positions"}) for pose in effect.get("poses", [])]
    if effect.get("kind") == "press":
        effect["profile"] = [_renamed(point, {"shape": "interpolation"}) for point in effect.get("profile", [])]
        if not effect["profile"]:
            del effect["profile"]
    return slot


def _transformed_2(item: Json) -> Json:
    if "transform" in item:
        item["transform"] = _renamed(item["transform"], _TRANSFORM)
    return item


def _kind_2(kind: Json, table: dict[str, tuple[str, dict[str, str]]]) -> Json:
    tag, names = table.get(kind["kind"], (kind["kind"], {}))
    return {**_renamed(kind, names), "kind": tag}


def _formula_2(text: str) -> str:
    return _NAME.sub(lambda match: _name_2(match[0]), text)


def _name_2(name: str) -> str:
    first, *rest = re.findall(r"'[^']*'|[^\W\d]\w*", name)
    words = [first]
    for word in rest:
        if word == "size" and (len(words) == 1 or words[-1] in ("Scale", "transform")):
            word = "scale"
        elif word == "reach" and words[-1] in ("Attract", "Joints"):
            word = "radius" if words[-1] == "Attract" else "softness"
        words.append(_WORDS.get(word, word))
    return ".".join(words)


def _unique_2(scene: Json) -> None:
    """Effects and layers whose id another thing has get one of their own; what names the first of them follows."""
    taken = {item["id"] for family in ("shapes", "controls", "falloffs") for item in scene[family]}
    effects: dict[str, str] = {}
    for shape in scene["shapes"]:
        for slot in shape["effects"]:
            new = _fresh(slot["id"], taken)
            effects.setdefault(slot["id"], new)
            slot["id"] = new
    for falloff in scene["falloffs"]:
        for layer in falloff.get("layers", []):
            layer["id"] = _fresh(layer["id"], taken)
            source = layer["source"]
            if source["kind"] == "bend":
                source["joints"] = effects.get(source["joints"], source["joints"])


def _fresh(wanted: str, taken: set[str]) -> str:
    number, found = 2, wanted
    while found in taken:
        found, number = f"{wanted[:58]}-{number}", number + 1
    taken.add(found)
    return found


def _renamed(item: Json, names: dict[str, str]) -> Json:
    return {names.get(key, key): value for key, value in item.items()}


def _below(item: Any) -> Iterator[Json]:
    """Every object in a scene, the outer ones first."""
    waiting = [item]
    while waiting:
        part = waiting.pop()
        if isinstance(part, dict):
            yield part
            waiting += part.values()
        elif isinstance(part, list):
            waiting += part


def _to_3(scene: Json) -> Json:
    """Version 3 has copies, pieces and what effects act on; a scene of version 2 is one that uses none of it."""
    return scene


def _to_4(scene: Json) -> Json:
    """Version 4 has falloffs as on another frame, and states that are kept; a scene of version 3 is one that uses none of it."""
    return scene


def _to_5(scene: Json) -> Json:
    """Version 5 has what follows animated files, several cameras and times of its own; a scene of version 4 uses none of it."""
    return scene


def _to_6(scene: Json) -> Json:
    """Version 6 has hard edges; a box of version 5 has none, and stays as round as it was when it is subdivided."""
    for shape in scene["shapes"]:
        if shape["source"]["kind"] == "box":
            shape["source"].setdefault("hard_edges", False)
    return scene


def _to_7(scene: Json) -> Json:
    """Version 7 spreads at a pace in scene units; a spread of version 6 goes on from neighbour to neighbour, as it did."""
    for falloff in scene.get("falloffs", ()):
        for layer in falloff.get("layers", []):
            if layer["source"]["kind"] == "spread":
                layer["source"].setdefault("by", "neighbours")
    return scene


def _to_8(scene: Json) -> Json:
    """Version 8 attracts by a share of the way and sweeps falloffs; an Attract of version 7 goes on by a length."""
    for shape in scene.get("shapes", ()):
        for slot in shape.get("effects", []):
            if slot["effect"]["kind"] == "attract":
                slot["effect"].setdefault("by", "length")
    return scene


def _to_9(scene: Json) -> Json:
    """Version 9 has parents, folders and locks, and holds the roots of strands; a Push away of version 8 moves them."""
    for shape in scene.get("shapes", ()):
        for slot in shape.get("effects", []):
            if slot["effect"]["kind"] == "push-away":
                slot["effect"].setdefault("rooted", False)
    return scene


_COLOR_SETTINGS = {"color": "full", "coat": "color", "fracture": "inside", "outline": "ink"}
"""The setting of each kind of effect of version 9 that is a colour."""
_BRIGHTEST = 5.6
"""The largest display value that still is a colour of version 10."""
_LONGEST_FORMULA = 1000


def _to_10(scene: Json) -> Json:
    """Version 10 has colours in linear light; those of version 9 are display values."""
    for shape in scene.get("shapes", ()):
        _linear_setting(shape, "color")
        for slot in shape.get("effects", []):
            _linear_setting(slot["effect"], _COLOR_SETTINGS.get(slot["effect"]["kind"], ""))
        for source in _below(shape["source"]):
            _mark_display_values(source)
    return scene


def _linear_setting(item: Json, name: str) -> None:
    if name in item:
        item[name] = [_linear_number(part) for part in item[name]]


def _linear_number(number: Any) -> Any:
    """A display value as linear light (IEC 61966-2-1): that of a number, of keys, or of a formula."""
    if not isinstance(number, dict):
        return linear_value(min(max(float(number), 0.0), _BRIGHTEST))
    if number["kind"] == "keyed":
        return {**number, "keys": [_linear_key(key) for key in number["keys"]]}
    text = f"(max(0, {number['text']}) + 0.055) / 1.055"
    return {**number, "text": f"(({text}) ^ 2.4)"} if len(text) < _LONGEST_FORMULA - 10 else number


def _linear_key(key: Json) -> Json:
    value = min(max(float(key["value"]), 0.0), _BRIGHTEST)
    slope = 1 / 12.92 if value <= 0.04045 else 2.4 / 1.055 * ((value + 0.055) / 1.055) ** 1.4
    slopes = {name: key[name] * slope for name in ("slope_in", "slope_out") if key.get(name) is not None}
    return {**key, "value": _linear_number(value), **slopes}


def _mark_display_values(source: Json) -> None:
    """Stored arrays stay as they are, under the address of their content; they are converted when they are read."""
    for stored in source.get("attributes") or ():
        if stored["name"] == "color":
            stored["values"] = "display"
    if source.get("color") and "positions" in source:
        source["color_values"] = "display"


_STEPS: dict[int, Callable[[Json], Json]] = {
    1: _to_2, 2: _to_3, 3: _to_4, 4: _to_5, 5: _to_6, 6: _to_7, 7: _to_8, 8: _to_9, 9: _to_10,
}  # fmt: skip
