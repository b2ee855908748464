"""After every edit of a long random list, what is kept from before and what is computed anew are the same bits."""

import random

import numpy as np
import pytest
from msgspec import structs
from PIL import Image

from estompe.document import edits
from estompe.document.check import SceneError, check_change
from estompe.document.project import Project
from estompe.document.renaming import rename
from estompe.document.scene import Scene
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.frame import Frame
from estompe.kinds.kind import Source
from estompe.kinds.numbers import Formula, Keyed
from estompe.kinds.registry import kinds
from estompe.samples import sample
from estompe.setups.adding import add_effect, add_layer, duplicate

pytestmark = pytest.mark.thorough


class _Hand:
    """A seeded hand that edits a scene in every way there is; edits that are not allowed leave it as it was."""

    def __init__(self, scene: Scene, seed: int, picture: str) -> None:
        self.scene, self.random, self.picture = scene, random.Random(seed), picture

    def step(self) -> str:
        """Do one thing; returns what."""
        does = (self._number, self._number, self._rename, self._switch, self._reorder, self._route, self._formula)
        does += (self._add, self._duplicate, self._remove, self._picture, self._transform)
        do = self.random.choice(does)
        try:
            made = do()
            check_change(made, self.scene)
        except (SceneError, edits.EditError, LookupError, ValueError):
            return "nothing"
        self.scene = made
        return do.__name__

    def _numbers(self):
        return [path for path, number in edits.numbers_below(self.scene, ()) if not isinstance(number, Formula)]

    def _number(self) -> Scene:
        path = self.random.choice(self._numbers())
        number = edits.get(self.scene, path)
        now = number.keys[0].value if isinstance(number, Keyed) else float(number)
        return edits.put(
            self.scene, path, now * self.random.choice((0.5, 0.9, 1.1, -1.0)) + self.random.choice((0.0, 0.01))
        )

    def _item(self, family: str):
        return self.random.choice(getattr(self.scene, family))

    def _rename(self) -> Scene:
        family = self.random.choice(("shapes", "controls", "falloffs"))
        return rename(self.scene, (family, self._item(family).id), f"Name {self.random.randrange(1000)}")

    def _slot(self):
        shape = self.random.choice([shape for shape in self.scene.shapes if shape.effects])
        return ("shapes", shape.id, "effects", self.random.choice(shape.effects).id)

    def _switch(self) -> Scene:
        path = self._slot()
        return edits.put(self.scene, (*path, "enabled"), not edits.get(self.scene, path).enabled)

    def _reorder(self) -> Scene:
        path = self._slot()
        return edits.reorder(self.scene, path, self.random.randrange(len(edits.get(self.scene, path[:-1]))))

    def _route(self) -> Scene:
        path = self._slot()
        slot = edits.get(self.scene, path)
        route = self.random.choice(slot.routes)
        changed = structs.replace(route, one_minus=not route.one_minus, falloff=self._item("falloffs").id)
        return edits.put(self.scene, path, structs.replace(slot, routes=(changed, *slot.routes[1:])))

    def _formula(self) -> Scene:
        path = self.random.choice([path for path in self._numbers() if "transform" in path or "range" in path])
        shape = self._item("shapes").name
        text = self.random.choice(
            (f"'{self._item('controls').name}'.position.x + 0.1", f"frame / 100 + '{shape}'.scale.y")
        )
        return edits.put(self.scene, path, Formula(text))

    def _add(self) -> Scene:
        if self.random.random() < 0.5:
            kind = self.random.choice(sorted(kinds(Source)))
            return add_layer(self.scene, self._item("falloffs").id, kind)[0]
        kind = self.random.choice(("push", "move", "twist", "smooth", "color", "attract", "hide"))
        return add_effect(self.scene, self._item("shapes").id, kind, self._item("falloffs").id)[0]

    def _duplicate(self) -> Scene:
        family = self.random.choice(("controls", "falloffs"))
        return duplicate(self.scene, (family, self._item(family).id))[0]

    def _remove(self) -> Scene:
        family = self.random.choice(("controls", "falloffs"))
        return (
            edits.remove(self.scene, (family, self._item(family).id))
            if len(getattr(self.scene, family)) > 2
            else self.scene
        )

    def _picture(self) -> Scene:
        """The file of a picture changes on the disk; the scene does not."""
        value = self.random.randrange(256)
        Image.fromarray(np.full((8 + value % 3, 8), value, np.uint8)).save(self.picture)
        for falloff in self.scene.falloffs:
            for layer in falloff.layers:
                if getattr(layer.source, "file", None) == "":
                    path = ("falloffs", falloff.id, "layers", layer.id, "source", "file")
                    return edits.put(self.scene, path, self.picture)
        return self.scene

    def _transform(self) -> Scene:
        path = ("shapes", self._item("shapes").id, "transform", "position", self.random.randrange(3))
        return edits.put(self.scene, path, round(self.random.uniform(-1, 1), 3))


def _is_same(one: Frame, other: Frame) -> None:
    for shape in one.scene.shapes:
        a, b = one[shape.id], other[shape.id]
        assert np.array_equal(a.points, b.points)
        assert np.array_equal(a.normals, b.normals)
        assert a.attributes.keys() == b.attributes.keys()
        assert all(np.array_equal(a.attributes[key], b.attributes[key]) for key in a.attributes)
        for falloff in one.scene.falloffs:
            try:
                strength = one.strength(shape.id, falloff.id)
            except KeyError:
                continue
            assert np.array_equal(strength, other.strength(shape.id, falloff.id))
    assert one.problems == other.problems


@pytest.mark.parametrize(
    ("name", "seed", "steps"),
    # Each step of a scene of volumes takes several times as long.
    [("lantern-amphora", 1, 150), ("buoy-fender", 2, 60), ("octopus-arm", 3, 100), ("pennants-gull", 4, 150)],
)
def test_what_is_kept_and_what_is_fresh_agree_after_every_edit(name, seed, steps, tmp_path):
    project = sample(name).build(0.04)
    hand, kept, done = _Hand(project.scene, seed, str(tmp_path / "picture.png")), Memo(), set()
    frames = (project.scene.first, 30, 31.5)
    for step in range(steps):
        done.add(hand.step())
        now = Project(hand.scene, project.assets)
        frame = frames[step % len(frames)]
        _is_same(evaluate(now, frame, kept), evaluate(now, frame, Memo()))
    assert len(done) > 8
