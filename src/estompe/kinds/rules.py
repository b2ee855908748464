"""What must hold for a kind so that the window, files and evaluation can use it; checked when it registers."""

import inspect
from collections.abc import Iterator
from typing import Any

from estompe.kinds import editors
from estompe.kinds.kind import EVERY_ELEMENT, EVERYTHING, READABLE, Effect, Kind, Source
from estompe.kinds.settings import Setting, settings_of
from estompe.kinds.units import UNITS

_NAMES_A_SETTING = ("middle_setting", "speed_setting", "pivot_setting", "joints_setting", "painted")


def place_of(kind: type) -> str:
    """Where a kind is defined, as file and line; its module where that is not known."""
    try:
        return f"{inspect.getsourcefile(kind)}:{inspect.getsourcelines(kind)[1]}"
    except (OSError, TypeError):
        return kind.__module__


def problem_of(kind: type[Kind]) -> str:
    """The first rule that a kind breaks, in words that say what to do; "" for none."""
    return next(_problems(kind), "")


def _problems(kind: type[Kind]) -> Iterator[str]:
    config = kind.__struct_config__
    if not (config.frozen and config.cache_hash and config.forbid_unknown_fields):
        yield "it must keep the options of its base: frozen, cache_hash, forbid_unknown_fields"
    if not isinstance(config.tag, str) or config.tag_field != "kind":
        yield 'it needs a tag: class Name(Base, tag="name")'
    if not all(isinstance(getattr(kind, name, None), str) for name in ("label", "text")):
        yield "it needs a label and a text: class variables of type str"
    try:
        rules = settings_of(kind)
    except NameError as error:
        yield f"an annotation cannot be resolved ({error}): import the name in its module"
        return
    bare = sorted(set(kind.__struct_fields__) - {item.name for item in rules})
    if bare:
        yield f"the field “{bare[0]}” has no setting(...): annotate it as Annotated[type, setting(label, text)]"
    for rule in rules:
        yield from _of_setting(kind, rule)
    for name in _NAMES_A_SETTING:
        named = getattr(kind, name, "")
        if named and named not in kind.__struct_fields__:
            yield f"{name} names “{named}”, which is none of its fields"
    if issubclass(kind, Effect):
        yield from _of_effect(kind)
    yield from _of_example(kind)


def _of_setting(kind: type[Kind], rule: Setting) -> Iterator[str]:
    if rule.unit not in UNITS:
        yield f"“{rule.name}” has the unknown unit “{rule.unit}”: use one of {_listed(UNITS)}"
    if not editors.exists(rule.editor):
        yield (
            f"“{rule.name}” has the editor “{rule.editor}”, for which there is no field: use one of {_listed(editors.BUILT_IN)}, "
            f"or bring a field as the entry point “{rule.editor}” of the group {editors.GROUP}"
        )
    if rule.low is not None and rule.high is not None and rule.low > rule.high:
        yield f"“{rule.name}” has crossed limits: low is {rule.low:g} and high {rule.high:g}"
    if rule.when is not None and rule.when[0] not in kind.__struct_fields__:
        yield f"“{rule.name}” depends on “{rule.when[0]}”, which is none of its fields"


def _of_effect(kind: type[Effect]) -> Iterator[str]:
    for name, values, known in (
        ("alters", kind.alters, EVERYTHING),
        ("acts", kind.acts, EVERY_ELEMENT),
        ("late", kind.late, kind.__struct_fields__),
    ):
        unknown = sorted(set(values) - set(known))
        if unknown:
            yield f"{name} names “{unknown[0]}”: use one of {_listed(known)}"


def _of_example(kind: type[Kind]) -> Iterator[str]:
    """Rules of methods, asked of a kind with its first values, if all settings have some."""
    try:
        example = kind()
        reads, unit = example.reads(), example.unit() if isinstance(example, Source) else ""
    except Exception:  # such as a setting without a first value; `check_kind` asks again in a small scene
        return
    unknown = sorted(set(reads) - set(READABLE))
    if unknown:
        yield f"reads() names “{unknown[0]}”, which is nothing to read: use one of {_listed(READABLE)}"
    if unit not in UNITS:
        yield f"unit() gives the unknown unit “{unit}”: use one of {_listed(UNITS)}"


def _listed(names: Any) -> str:
    return ", ".join(f"“{name}”" for name in sorted(names) if name)
