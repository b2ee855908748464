"""Whatever is edited can be saved and opened again."""

import typing

import msgspec
import pytest
from msgspec import Meta, Struct, structs

from estompe.document import edits
from estompe.document import scene as parts
from estompe.document.check import SceneError, check_change
from estompe.document.file import FileError, load, save
from estompe.document.project import Project
from estompe.document.scene import RampPoint
from estompe.kinds.kind import Effect, Source
from estompe.kinds.numbers import Key, Keyed
from estompe.kinds.registry import kinds
from estompe.kinds.settings import settings_of

_STRUCTS = [
    *(item for item in vars(parts).values() if isinstance(item, type) and issubclass(item, Struct)),
    *kinds(Source).values(),
    *kinds(Effect).values(),
]
_GLOW = ("falloffs", "lantern-glow")
_TOO_MUCH = {
    "ramp points": ((*_GLOW, "ramp"), tuple(RampPoint(i / 70, 1.0) for i in range(65)), "at most 64 long, not 65"),
    "no ramp point": ((*_GLOW, "ramp"), (), "ramp can be at least 1 long"),
    "a long name": ((*_GLOW, "name"), "n" * 201, "name can be at most 200"),
    "a number over its limit": (("last",), 10**9, "Last must be at most 100000"),
    "keys over the limit": (("frames_per_second",), 0.5, "Rate must be at least 1"),
    "infinite": ((*_GLOW, "range", "full"), float("inf"), "must be a finite number"),
    "too large": ((*_GLOW, "range", "full"), -2e12, "too large: at most 1e\\+12"),
    "a key too large": ((*_GLOW, "range", "full"), Keyed((Key(5.0, 3e13),)), "too large: at most 1e\\+12"),
    "a key too late": ((*_GLOW, "range", "full"), Keyed((Key(3e13, 5.0),)), "a key's value is not finite or larger"),
    "keys that go back": (
        (*_GLOW, "range", "full"), Keyed((Key(5.0, 0.0), Key(4.0, 1.0))), "keys must stand on ascending frames",
    ),
}  # fmt: skip


@pytest.fixture
def scene(small_sample):
    """The sample's scene."""
    return small_sample.scene


@pytest.mark.parametrize("name", _TOO_MUCH)
def test_an_edit_that_could_not_be_opened_again_is_noticed(scene, name):
    path, value, words = _TOO_MUCH[name]
    with pytest.raises(SceneError, match=words) as caught:
        check_change(edits.put(scene, path, value), scene)
    assert "$" not in str(caught.value)


def test_only_what_changed_is_looked_at(scene):
    broken = edits.put(scene, (*_GLOW, "name"), "n" * 300)
    elsewhere = edits.put(broken, ("shapes", scene.shapes[0].id, "name"), "Other")
    check_change(elsewhere, broken)
    reordered = structs.replace(broken, falloffs=broken.falloffs[::-1], shapes=broken.shapes[::-1])
    check_change(reordered, broken)
    with pytest.raises(SceneError):
        check_change(broken, scene)


def test_what_could_not_be_opened_again_is_not_written(tmp_path, scene):
    path = tmp_path / "shot.estompe"
    save(Project(scene), path)
    with pytest.raises(FileError, match=r"not written.*falloffs"):
        save(Project(edits.put(scene, (*_GLOW, "name"), "n" * 300)), path)
    assert load(path).scene == scene


@pytest.mark.parametrize("kind", _STRUCTS, ids=lambda kind: kind.__name__)
def test_limits_of_the_file_are_limits_of_the_fields(kind):
    hints = typing.get_type_hints(kind, include_extras=True)
    rules = {rule.name: rule for rule in settings_of(kind)}
    for field in msgspec.structs.fields(kind):
        for meta in getattr(hints[field.name], "__metadata__", ()):
            rule = rules.get(field.name)
            if not isinstance(meta, Meta) or rule is None:
                continue
            low, high = meta.ge, meta.le
            assert low is None or (rule.low is not None and rule.low >= low), field.name
            assert high is None or (rule.high is not None and rule.high <= high), field.name
