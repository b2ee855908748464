"""A conformance kit for kinds: what the program relies on, checked on small scenes. The built-in kinds are tested with it too."""

from typing import Any

import msgspec
import numpy as np
from msgspec import structs

from estompe.document import edits
from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Layer, Range, Route, Scene, Transform
from estompe.effects.hide import Hide
from estompe.effects.separate import Separate
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.frame import Frame
from estompe.evaluation.running import checked as evaluation
from estompe.evaluation.time.past import Past
from estompe.evaluation.time.state_files import packed, unpacked
from estompe.geometry import Geometry
from estompe.kinds.kind import READABLE, Effect, ShapeSource, Source
from estompe.kinds.registry import AnyEffect, AnyShapeSource, AnySource, decode_kind, kinds, tag_of
from estompe.kinds.remembering import Remembering
from estompe.kinds.rules import place_of, problem_of
from estompe.kinds.settings import settings_of
from estompe.setups.adding import (
    FIRST_PATH,
    add_control,
    add_effect,
    add_falloff,
    add_shape,
    new_shape_source,
    new_source,
)
from estompe.shapes.box import Box
from estompe.shapes.sphere import Sphere

_FIELDS: dict[type, type] = {Source: AnySource, Effect: AnyEffect, ShapeSource: AnyShapeSource}


class KindError(AssertionError):
    """A kind breaks a rule; the text names the kind and the rule."""


def check_kind(kind: type, settings: dict[str, Any] | None = None, assets: dict[str, Any] | None = None) -> None:
    """Check that a registered kind keeps what the program relies on.

    It is registered; every setting says what it is; it survives the scene file; evaluation gives the same bits twice and from
    results that were kept; strength 0 changes nothing; nothing comes out that is not finite; it copes with a shape without
    faces; it looks only at what it declared, and alters only what it says. What it remembers survives a file and comes out the
    same in every order of asking.

    Parameters
    ----------
    kind : type
        A class made from Source, Effect or ShapeSource.
    settings : dict, optional
        Settings by name that differ from the first values, such as an asset the kind needs.
    assets : dict, optional
        Arrays beside the scene, by content address.

    Raises
    ------
    KindError
        With the kind's name and the rule that is broken.

    Examples
    --------
    >>> from estompe.effects.push import Push
    >>> check_kind(Push)
    """
    family = next((item for item in _FIELDS if issubclass(kind, item)), None)
    if family is None:
        raise KindError(f"{kind.__name__}: it is made from none of Source, Effect and ShapeSource")
    check = _Check(kind, family, settings or {}, assets or {})
    strict, evaluation.strict_everywhere = evaluation.strict_everywhere, True
    try:
        check.words()
        check.file()
        check.evaluation()
    finally:
        evaluation.strict_everywhere = strict


class _Check:
    """One kind in small scenes."""

    def __init__(self, kind: type, family: type, settings: dict[str, Any], assets: dict[str, Any]) -> None:
        self.kind: Any = kind
        self.family, self.settings, self.assets = family, settings, assets
        self.tag = tag_of(kind)
        self.holds(kinds(family).get(self.tag) is kind, "it is not registered")
        self.scene, self.shape, self.falloff = _scene()
        self.made = self._example()

    def holds(self, condition: object, rule: str) -> None:
        if not condition:
            raise KindError(f"{self.kind.__module__}.{self.kind.__name__} ({place_of(self.kind)}): {rule}")

    def _example(self) -> Any:
        if self.family is Source:
            return structs.replace(new_source(self.scene, self.tag, self.falloff), **self.settings)
        if self.family is ShapeSource:
            return self._shape_source()
        scene, made = add_effect(self.scene, self.shape, self.tag, None)
        return structs.replace(edits.get(scene, ("shapes", self.shape, "effects", made, "effect")), **self.settings)

    def _shape_source(self) -> Any:
        given = {field.name for field in structs.fields(self.kind) if field.required} <= set(self.settings)
        if not self.kind.assembles() or (self.settings and given):
            return self.kind(**self.settings)
        if self.kind.branches_setting:
            self.scene, _ = add_shape(
                self.scene, "Branches", new_shape_source(self.scene, "branches-surface", self.shape)
            )
        return structs.replace(new_shape_source(self.scene, self.tag), **self.settings)

    def words(self) -> None:
        """Label, help, units and limits."""
        self.holds(self.made.label.strip(), "its label is empty")
        self.holds(self.made.text.endswith("."), "its text is no sentence")
        unknown = sorted(set(self.made.reads()) - set(READABLE))
        self.holds(not unknown, f"its reads() names {unknown}, which is nothing to read; there are {READABLE}")
        broken = problem_of(self.kind)
        self.holds(not broken, broken)
        for rule in settings_of(self.kind):
            self.holds(rule.label and rule.text.endswith("."), f"“{rule.name}” has no label or no sentence of help")

    def file(self) -> None:
        """There and back through JSON, and as a key of what is kept."""
        self.holds(msgspec.json.decode(msgspec.json.encode(self.made), type=self.kind, dec_hook=decode_kind) == self.made,
                   "it is another one after being saved and opened")  # fmt: skip
        self.holds(
            decode_kind(_FIELDS[self.family], msgspec.to_builtins(self.made)) == self.made, "its tag is not found"
        )
        self.holds(hash(self.made) == hash(structs.replace(self.made)), "two that are equal have different hashes")
        self.made.check()

    def evaluation(self) -> None:
        """On a sphere, without strength, without faces; twice, and from what is kept."""
        if self.family is ShapeSource:
            self._builds()
        elif self.family is Source:
            self._measures()
        else:
            self._applies()

    def _builds(self) -> None:
        if self.kind.assembles():
            scene, made = add_shape(self.scene, "Made", self.made)
            self._sound(scene)
            self.holds(len(self._frame(scene)[made].points), "assemble() gives nothing on a small scene")
            return
        mesh = self.made.build(self.assets)
        self.holds(isinstance(mesh, Geometry), "build() returns no Geometry")
        self.holds(np.isfinite(mesh.points).all(), "build() gives positions that are no numbers")
        self.holds(
            np.array_equal(self.made.build(self.assets).points, mesh.points), "build() gives other points each time"
        )

    def _measures(self) -> None:
        layers = (Layer("layer", self.made),)
        scene = edits.put(
            self.scene, ("falloffs", self.falloff), Falloff(self.falloff, "Falloff", layers, Range(1.0, 0.0))
        )
        push = EffectSlot("push", kinds(Effect)["push"](0.1), (Route(self.falloff),))
        scene = self._with_effects(scene, push)
        self._sound(scene)
        self._remembers(scene)
        for acts_on in ("faces", "pieces"):
            rotated = EffectSlot("rotated", kinds(Effect)["rotate"](5.0), (Route(self.falloff),), acts_on=acts_on)
            self._sound(self._with_effects(scene, EffectSlot("parted", Separate()), rotated))
        hidden = self._with_effects(scene, EffectSlot("hidden", Hide()), push)
        self._frame(hidden)

    def _remembers(self, scene: Scene) -> None:
        """A kind with memory: its states survive a file, and frames asked in another order are the same bits."""
        if not issubclass(self.kind, Remembering):
            return
        past = Past(Project(scene, self.assets), Memo())
        first = evaluate(past.project, 5, past.memo, None, past)
        for place, links in past.links.items():
            for digest in links.values():
                kept = past.kept(place, digest)
                if kept is None:
                    continue
                again = unpacked(packed(kept), type(kept.state))
                for one, other in zip(kept.state.arrays(), again.state.arrays(), strict=True):
                    self.holds(np.array_equal(one, other), "its state is another one after it was kept in a file")
        evaluate(past.project, 9, past.memo, None, past)
        evaluate(past.project, 2, past.memo, None, past)
        fresh = self._frame_on(scene, 5)
        for shape in scene.shapes:
            same = np.array_equal(first[shape.id].points, fresh[shape.id].points)
            self.holds(same, "its frames are others when they are asked in another order")

    def _frame_on(self, scene: Scene, frame: float) -> Frame:
        return evaluate(Project(scene, self.assets), frame)

    def _applies(self) -> None:
        for acts_on in self.kind.able():
            self._applies_on(EffectSlot("checked", self.made, acts_on=acts_on))
        self._alters(EffectSlot("checked", self.made, acts_on=self.kind.able()[0]))
        self._remembers(self._with_effects(self.scene, EffectSlot("checked", self.made)))

    def _applies_on(self, slot: EffectSlot) -> None:
        parted = (EffectSlot("parted", Separate()),) if slot.acts_on == "pieces" else ()
        self._sound(self._with_effects(self.scene, *parted, slot))
        unfed = structs.replace(slot, routes=(Route(self.falloff, 0.0),))
        before = self._frame(self._with_effects(self.scene, *parted))[self.shape]
        after = self._frame(self._with_effects(self.scene, *parted, unfed))[self.shape]
        self.holds(np.array_equal(before.points, after.points), "where the strength is 0 it moves points")
        self._frame(self._with_effects(self.scene, EffectSlot("hidden", Hide()), *parted, slot))

    def _alters(self, slot: EffectSlot) -> None:
        memo = Memo()
        before = self._frame(self._with_effects(self.scene), memo)[self.shape]
        after = self._frame(self._with_effects(self.scene, slot), memo)[self.shape]
        alters = self.kind.alters
        if "topology" not in alters:
            self.holds(after.topology is before.topology, "it alters the topology without saying so in alters")
        if "points" not in alters:
            self.holds(np.array_equal(after.points, before.points), "it alters points without saying so in alters")
        if "attributes" not in alters:
            self.holds(after.attributes is before.attributes, "it alters attributes without saying so in alters")

    def _with_effects(self, scene: Scene, *slots: EffectSlot) -> Scene:
        kept = tuple(slot for slot in edits.get(scene, ("shapes", self.shape, "effects")) if slot.id == "joints")
        made: Scene = edits.put(scene, ("shapes", self.shape, "effects"), (*kept, *slots))
        return made

    def _sound(self, scene: Scene) -> None:
        """No problems, finite points, and the same bits twice, afresh and from what is kept."""
        memo = Memo()
        first = self._frame(scene, memo)
        self.holds(
            not first.problems, f"a small scene has a problem: {first.problems[0].text if first.problems else ''}"
        )
        for again in (self._frame(scene, memo), self._frame(scene)):
            for shape in scene.shapes:
                one, two = first[shape.id].points, again[shape.id].points
                self.holds(np.isfinite(one).all(), "it leads to positions that are no numbers")
                self.holds(np.array_equal(one, two), "it gives other bits when it is asked again")

    def _frame(self, scene: Scene, memo: Memo | None = None) -> Frame:
        return evaluate(Project(scene, self.assets), 12, memo)


def _scene() -> tuple[Scene, str, str]:
    """A sphere with joints, another shape, a sphere and a path as controls, and two falloffs without layers."""
    scene, control = add_control(Scene(), "sphere", "Control", (0.4, 0.3, 0.3))
    scene, path = add_control(scene, "path", "Path")
    scene = edits.put(scene, ("controls", path, "points"), FIRST_PATH)
    scene, _ = add_falloff(scene, "Other", (Layer("other-layer", kinds(Source)["distance"](control)),))
    scene, falloff = add_falloff(scene)
    scene, other = add_shape(scene, "Box", Box(0.4, 0.4, 0.4, 4))
    scene, shape = add_shape(scene, "Sphere", Sphere(0.5, 8))
    scene = edits.put(scene, ("shapes", other, "transform"), Transform((0.9, 0.0, 0.0)))
    scene, joints = add_effect(scene, shape, "joints", None)
    slot = edits.get(scene, ("shapes", shape, "effects", joints))
    renamed = structs.replace(slot, id="joints", enabled=False)
    made: Scene = edits.put(scene, ("shapes", shape, "effects"), (renamed,))
    return made, shape, falloff
