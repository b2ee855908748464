"""The one way from a project and a frame number to meshes."""

from collections.abc import Callable, Hashable, Iterator
from functools import cached_property
from typing import Any

import numpy as np
from msgspec import structs
from numpy.typing import NDArray

from estompe.document.project import Project
from estompe.document.scene import EffectSlot, Falloff, Shape
from estompe.evaluation.planning.plan import Plan
from estompe.evaluation.planning.problems import Problem
from estompe.evaluation.planning.shapes import domain_of
from estompe.evaluation.planning.stack import Stack
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.planning.where import Where, strength_where, where_measured
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.time.past import Past
from estompe.falloffs.ramp import swept
from estompe.geometry import Domain, Geometry, frozen
from estompe.geometry.samples import converted, samples_of
from estompe.kernels.topology import steepest
from estompe.kernels.types import Floats, Indices
from estompe.kinds.context import CannotEvaluateError

FEWEST_EDGES = 3
"""Below this many edges across it, a ramp falls between the points."""
__all__ = ["FEWEST_EDGES", "Frame", "Problem", "Shown", "evaluate"]


class Shown:
    """A falloff on a shape, as the view, the histogram and the probe show it.

    It is measured where `estompe.evaluation.planning.where` says. falloff: with the range that counts, which *Passed* may have
    moved; measured_mesh: the mesh that is measured; mesh: the one whose elements the values are of, which is another one where a
    painted mask is carried to what is seen.
    """

    def __init__(self, shape: Shape, falloff: Falloff, where: Where) -> None:
        self.shape, state = shape, where.state
        self.measured_mesh = state.geometry
        self.mesh = state.geometry if where.seen is None else where.seen
        self.domain = state.domain
        self._drawn: dict[tuple[int, Domain], Floats] = {}
        plan, carried = where.plan, where.carried

        def nodes() -> tuple[Stack, Values, Values, Values]:
            stack = plan.stack(falloff, state)
            return stack, plan.joined(stack), plan.through_ramp(stack), plan.positions(stack)

        stack, joined, strength, positions = plan.settled(nodes)
        self.strength: Floats = carried(strength.value)
        self.values: Floats = carried(joined.value)
        self.falloff = structs.replace(falloff, range=swept(joined.value, falloff.range, falloff.passed))
        self.positions: Floats = carried(positions.value)
        # Taken now, while they are at hand: showing them must not compute anything.
        arrays = zip(stack.layers, stack.measured, stack.values, strict=True)
        self._layers = {layer.id: (carried(measured.value), carried(own.value)) for layer, measured, own in arrays}

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array this keeps alive."""
        yield from (self.strength, self.values, self.positions)
        for pair in self._layers.values():
            yield from pair
        yield from self.mesh.arrays()

    @property
    def word(self) -> str:
        """What one element is called, such as "point" or "copy"."""
        return self.mesh.piece_word if self.domain is Domain.PIECE else self.domain.value

    @property
    def pairs(self) -> Indices:
        """Elements next to each other, int32 (e, 2)."""
        return samples_of(self.mesh, self.domain).pairs

    def to_draw(self, geometry: Geometry, values: Floats) -> Floats:
        """Values of the elements as the finished shape is drawn: one for each copy or face, else for each point, float32.

        The same array for the same values, so that nothing is sent twice.
        """
        target = geometry.own_domain
        if self.domain in (target, Domain.FACE) and len(values) == geometry.count(self.domain):
            return values
        key = id(values), target
        if key not in self._drawn:
            self._drawn[key] = frozen(converted(geometry, values, self.domain, target))
        return self._drawn[key]

    def prepare(self, geometry: Geometry) -> None:
        """Convert the drawn values here, so that drawing need not."""
        for values in (self.strength, self.positions):
            self.to_draw(geometry, values)

    @cached_property
    def past_half(self) -> float:
        """The fraction of elements whose strength is over one half."""
        return float(np.count_nonzero(self.strength > 0.5)) / max(1, len(self.strength))

    @cached_property
    def edges_across(self) -> float:
        """How many edges the ramp crosses from full to gone where it is steepest; infinite where it is flat."""
        step = steepest(self.strength, self.pairs)
        return 1.0 / step if step > 1e-6 else float("inf")

    @cached_property
    def coarse_edges(self) -> Indices:
        """Pairs between which the ramp falls so far that fewer than three would span it, int32 (k, 2)."""
        edges = self.pairs
        steps = np.abs(self.strength[edges[:, 0]] - self.strength[edges[:, 1]])
        made: Indices = edges[steps > 1.0 / FEWEST_EDGES]
        return made

    def layer_values(self, layer_id: str) -> Floats | None:
        """A layer's own values, before it is joined; None where there is no such layer that is switched on."""
        return self._layers[layer_id][1] if layer_id in self._layers else None

    def measured(self, layer_id: str) -> Floats | None:
        """What a layer measured, before its own range and ramp; None where there is no such layer that is switched on."""
        return self._layers[layer_id][0] if layer_id in self._layers else None

    def histogram(self, values: Floats, bins: int = 48) -> tuple[NDArray[np.int64], float, float]:
        """Counts of values in even bins, and the lowest and highest value."""
        if not len(values):
            return np.zeros(bins, np.int64), 0.0, 1.0
        low, high = float(values.min()), float(values.max())
        if high <= low:
            high = low + 1.0
        scaled = ((values - np.float32(low)) * np.float32(bins / (high - low))).astype(np.int32)
        return np.bincount(np.clip(scaled, 0, bins - 1), minlength=bins), low, high


class Frame:
    """Every shape of a scene on one frame, in world space.

    `frame["Amphora"]` is the geometry of the shape of that name or id; iterating gives the shapes' names.
    """

    def __init__(self, plan: Plan) -> None:
        self.number = plan.frame
        self.scene = plan.parts.scene
        self.reductions = plan.reductions
        self._plan = plan
        self._chains = plan.settled(plan.chains)
        self._shapes = {shape.id: shape for shape in self.scene.shapes}

    @property
    def problems(self) -> tuple[Problem, ...]:
        """What is wrong with the scene on this frame."""
        notes = [
            Problem(("shapes", shape), note, blocks=False)
            for shape, chain in self._chains.items()
            for note in chain.first.geometry.notes
        ]
        return (*self._plan.problems.all(), *notes)

    @property
    def stamps(self) -> dict[str, Hashable]:
        """The states of the picture files that were looked at, by file; None for one that could not be read."""
        return self._plan.stamps

    @property
    def footages(self) -> dict[Any, object]:
        """The states of the animated files that were looked at, by how they are read; None for one that could not be."""
        return self._plan.parts.footages

    def arrays(self) -> Iterator[NDArray[Any]]:
        """Every array this frame keeps alive; frames of one scene share most of them."""
        for chain in self._chains.values():
            for _, state in chain.steps:
                yield from state.geometry.arrays()
            yield from chain.last.geometry.arrays()

    def __getitem__(self, shape: str) -> Geometry:
        return self._chains[self.shape(shape).id].last.geometry

    def __iter__(self) -> Iterator[str]:
        return (shape.name for shape in self.scene.shapes)

    def __len__(self) -> int:
        return len(self.scene.shapes)

    def has(self, shape: str | None) -> bool:
        """Whether a shape of this id is in the frame."""
        return shape in self._shapes

    def shape(self, name: str) -> Shape:
        """A shape by id or name, with its numbers resolved. Raises KeyError."""
        if name in self._shapes:
            return self._shapes[name]
        for shape in self.scene.shapes:
            if name == shape.name:
                return shape
        raise KeyError(name)

    def falloff(self, name: str) -> Falloff:
        """A falloff by id or name, with its numbers resolved. Raises KeyError."""
        for falloff in self.scene.falloffs:
            if name in (falloff.id, falloff.name):
                return falloff
        raise KeyError(name)

    def strength(self, shape: str, falloff: str) -> Floats:
        """A falloff's strength on a shape's points, or on what the effect that uses it acts on, float32 (n,).

        Raises KeyError for a name that is not there.
        """
        found, measured = self.shape(shape), self.falloff(falloff)
        try:
            return strength_where(where_measured(self._plan, found.id, measured.id), measured.id)
        except CannotEvaluateError as error:
            raise KeyError(str(error)) from error

    def shown(self, shape: str, falloff: str) -> Shown:
        """A falloff on a shape with its values. Raises KeyError for a name that is not there."""
        found, measured = self.shape(shape), self.falloff(falloff)
        try:
            where = where_measured(self._plan, found.id, measured.id)
            return Shown(found, where.plan.parts.falloff(measured.id), where)
        except CannotEvaluateError as error:
            raise KeyError(str(error)) from error

    def after(self, shape: str, effect: str) -> Geometry | None:
        """A shape right after one of its effects; None where that is switched off."""
        return next((state.geometry for item, state in self._afters(shape) if item.id == effect), None)

    def detail_for(self, shape: str, effect: str) -> float | None:
        """The finest detail of the falloffs that feed an effect, scene units; None where they have none, or it is off."""
        steps, _ = self._chains[self.shape(shape).id]
        slot = next((slot for slot, _ in steps if slot.id == effect), None)
        return None if slot is None else self._plan.detail(slot)

    def states_of(self, shape: str) -> list[Geometry]:
        """A shape before its effects and after each that is switched on."""
        steps, last = self._chains[self.shape(shape).id]
        return [*(state.geometry for _, state in steps), last.geometry]

    def finish(self) -> None:
        """From now on nothing interrupts what is asked of this frame."""
        self._plan.schedule.finish()

    def points_after(self, shape: str) -> dict[str, int]:
        """Points of a shape after each of its enabled effects, by the effect's id; of copies those they have together."""
        return {slot.id: state.geometry.total_points for slot, state in self._afters(shape)}

    def counts_after(self, shape: str) -> dict[str, tuple[int, str]]:
        """How many elements each enabled effect leaves of what it acts on, and what they are called, by the effect's id."""
        found = {}
        for slot, state in self._afters(shape):
            geometry, domain = state.geometry, domain_of(slot)
            if domain is Domain.PIECE:
                word = geometry.piece_word
                count = geometry.copies_shown if geometry.component == "copies" else geometry.count(domain)
                found[slot.id] = count, "copies" if word == "copy" else f"{word}s"
            else:
                found[slot.id] = geometry.count(domain), f"{domain}s"
        return found

    def made_real(self, shape: str) -> dict[str, tuple[int, int]]:
        """The effects that look at points of copies, by id: how many copies they make real, and how many points that is."""
        steps, _ = self._chains[self.shape(shape).id]
        return {
            slot.id: (state.geometry.copies_shown, state.geometry.total_points)
            for slot, state in steps
            if state.geometry.component == "copies" and domain_of(slot) is not Domain.PIECE
        }

    def _afters(self, shape: str) -> list[tuple[EffectSlot, State]]:
        """A shape's enabled effects, each with the state it leaves behind."""
        steps, last = self._chains[self.shape(shape).id]
        states = [*(state for _, state in steps), last]
        return [(slot, after) for (slot, _), after in zip(steps, states[1:], strict=True)]


def evaluate(
    project: Project,
    frame: float,
    memo: Memo | None = None,
    pause: Callable[[], None] | None = None,
    past: Past | None = None,
) -> Frame:
    """Every shape of a project on one frame.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    frame : float
        The frame, which may lie between whole ones.
    memo : Memo, optional
        Where values are cached between calls.
    pause : callable, optional
        Called between nodes; it may raise to stop the work.
    past : Past, optional
        The other frames of this very project, over the same memo; who asks for many frames of one scene passes the same.

    Returns
    -------
    Frame
        The shapes in world space, and what is wrong.

    Raises
    ------
    ValueError
        For a frame that is not finite.
    """
    if not np.isfinite(frame) or abs(frame) > 1e9:
        raise ValueError(f"frame {frame:g} is not a frame: use a number up to a thousand million")
    if past is None:
        past = Past(project, memo or Memo(), pause=pause or (lambda: None))
    return Frame(Plan(project, frame, past.memo, past, pause, rough=past.rough))
