"""The editors that a setting can name: the window's own, and the ones of installed plug-ins."""

from functools import cache

from estompe.registered import plug_ins

GROUP = "estompe.fields"
"""The entry point group of fields: the name is that of the editor, the value the module that registers its field."""
BUILT_IN = frozenset({
    "attribute", "color", "follow", "footage", "formula", "hidden", "joints", "mask", "members", "name", "outline", "picture",
    "parent", "points", "poses", "prim", "profile", "several", "time",
})  # fmt: skip


@cache
def of_plug_ins() -> frozenset[str]:
    """The editors that installed plug-ins bring."""
    return frozenset(point.name for point in plug_ins(GROUP))


def exists(editor: str) -> bool:
    """Whether the window has a field for an editor; "" is none, so that the type of the setting decides."""
    return not editor or editor in BUILT_IN or editor in of_plug_ins()
