"""Other moments of one scene, and what is seen on them."""

from collections.abc import Callable
from functools import partial
from typing import Any, NamedTuple
from weakref import proxy

from estompe.document.project import Project
from estompe.document.scene import Falloff, Layer
from estompe.evaluation.planning.graph import EffectChain
from estompe.evaluation.planning.lookup import SceneAtFrame
from estompe.evaluation.planning.moment import Moment
from estompe.evaluation.planning.others import Kept, Place, Sight
from estompe.evaluation.planning.phases import Phases
from estompe.evaluation.planning.problems import Problems
from estompe.evaluation.planning.stack import Stack
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.running.schedule import Schedule
from estompe.evaluation.running.stage import Stage
from estompe.evaluation.running.token import Token
from estompe.geometry import Domain, Geometry, GeometryError
from estompe.geometry.matching import brought, identity_digest
from estompe.kernels.types import Floats
from estompe.kinds.context import CannotEvaluateError
from estompe.kinds.numbers import plain

# Moments hold arrays, so only those that are likely to be asked again stay.
_MOMENTS = 4


class _Elsewhere(NamedTuple):
    """A falloff's layers on another frame, as tokens: they hold no arrays."""

    falloff: Falloff
    layers: list[Layer]
    measured: list[Token]
    values: list[Token]
    made_from: Any
    problems: list[tuple[Any, str]]


class Elsewhere:
    """The moments of one scene beside the one that is evaluated. pause: called before each stage is run; may raise.

    What is asked of them gets the token of the very stage the other moment has itself, so that nothing is computed twice.
    """

    def __init__(self, project: Project, memo: Memo, pause: Callable[[], None], rough: float = 1.0) -> None:
        self.project, self.memo, self.pause, self.rough = project, memo, pause, rough
        # Those that are planned are never run: what they would wait with is not wanted.
        self._planned: dict[float, Moment] = {}
        self._running: dict[float, Moment] = {}
        self._first: Moment | None = None
        self._elsewhere: dict[Any, _Elsewhere] = {}
        self._strengths: dict[Any, Token] = {}
        me = proxy(self)
        self.phases = Phases(project, lambda path, frame: plain(me.parts_on(frame).part(path)))

    def linked(self, schedule: Schedule, frame: float, place: Place, sight: Sight) -> Stage[Kept]:
        """The stage of a place's state after a frame."""
        raise NotImplementedError

    def planned(self, frame: float) -> Moment:
        """The scene on a frame, to be planned only."""
        return self._moment(self._planned, frame)

    def running(self, frame: float) -> Moment:
        """The scene on a frame, to be run. One that is at work gets a double: it may come to look at its own frame."""
        moment = self._moment(self._running, frame)
        return self._made(frame) if moment.schedule.busy else moment

    def _moment(self, pool: dict[float, Moment], frame: float) -> Moment:
        found = pool.pop(frame, None)
        if found is None:
            found = self._made(frame)
        pool[frame] = found
        while len(pool) > _MOMENTS:
            del pool[next(iter(pool))]
        return found

    def _made(self, frame: float) -> Moment:
        # Weak, since it is held here: circles wait for the collector with all their arrays.
        me = proxy(self)
        return Moment(self.project, frame, self.memo, me, lambda: me.pause(), False, self.rough)

    def parts_on(self, frame: float) -> SceneAtFrame:
        """The parts of the scene on another frame."""
        return self.planned(frame).parts

    def chain_on(self, schedule: Schedule, problems: Problems, frame: float, shape: str) -> EffectChain:
        """What a shape goes through on another frame; what is wrong there is wrong here."""
        moment = self.planned(frame)
        there = moment.graph.chain_now(shape)
        for problem in moment.problems.all():
            if problem.path[1] == shape or problem.path[0] == "falloffs":
                problems.add(problem.path, problem.text)
        count = len(there.steps)

        def brought(index: int, state: State) -> State:
            token = state.stage.token
            stage = schedule.stage(token.name, token.made_from, partial(self._run_chain, frame, shape, index, token))
            return State(stage, state.tokens, state.matrix, state.color, state.at, state.domain, state.asked_by)

        steps = [(slot, brought(index, state)) for index, (slot, state) in enumerate(there.steps)]
        return EffectChain(steps, brought(count, there.last))

    def _run_chain(self, frame: float, shape: str, index: int, token: Token) -> Any:
        moment = self.running(frame)

        def plan() -> Stage[Any]:
            chain = moment.graph.chain_now(shape)
            return (chain.steps[index][1] if index < len(chain.steps) else chain.last).stage

        return _checked(moment.settled(plan), token, frame)

    def at_start(self, schedule: Schedule, frame: float, slot: str, state: State) -> Values | None:
        """An effect's strength on the first frame of the shot; None on that frame itself, where it is found as ever."""
        first = self.project.scene.first
        if frame == first:
            return None
        if self._first is None:
            self._first = self._made(first)
        moment = self._first
        values = moment.settled(lambda: moment.graph.slot_strength(state.at[0], slot))
        return self._brought(schedule, frame, float(first), state, values)

    def state_on(self, schedule: Schedule, frame: float, state: State) -> State:
        """The same place of the same shape on another frame."""
        there = _same_place(self.planned(frame), state)
        token = there.stage.token

        def compute() -> Any:
            moment = self.running(frame)
            return _checked(moment.settled(lambda: _same_place(moment, state)).stage, token, frame)

        stage = schedule.stage(token.name, token.made_from, compute)
        return State(stage, there.tokens, there.matrix, there.color, there.at, there.domain, there.asked_by)

    def strength_on(self, schedule: Schedule, now: float, frame: float, falloff: str, state: State) -> Values:
        """A falloff's strength as it is at the same place on another frame. Raises CannotEvaluateError."""
        key = frame, falloff, state.at, state.domain, state.asked_by

        def plan(moment: Moment) -> Values:
            return moment.measuring.strength(falloff, _same_place(moment, state))

        token = self._strengths.get(key)
        if token is None:
            token = self._strengths[key] = plan(self.planned(frame)).token
        values = schedule.stage(token.name, token.made_from, lambda: self._run(frame, plan, token))
        return self._brought(schedule, now, frame, state, values)

    def _brought(self, schedule: Schedule, now: float, frame: float, state: State, values: Values) -> Values:
        """Values of a place on another frame, on its elements on this one (now). Raises CannotEvaluateError."""
        there = self.state_on(schedule, frame, state)
        if there.tokens["topology"] == state.tokens["topology"]:
            return values
        here, domain = state.stage, state.domain

        def compute() -> Floats:
            try:
                return brought(values.value, here.value, there.stage.value, domain)
            except GeometryError:
                raise CannotEvaluateError(self._other_elements(state, now, frame)) from None

        key = values.token, here.token, there.stage.token, domain
        return schedule.stage("brought", key, compute)

    def _other_elements(self, state: State, now: float, frame: float) -> str:
        """Why values of another frame do not fit, in words."""
        noun = state.domain.value
        has, had = (self._geometry_on(at, state.at).count(state.domain) for at in (now, frame))
        others = "others, " if has == had else ""
        return (
            f"on frame {frame:g} there are {had:,} {noun}s and on frame {now:g} {others}{has:,}, because of "
            f"{self.cause_of_change(state.at, state.domain, frame, now)}: put what it drives before what changes them"
        )

    def cause_of_change(self, at: tuple[str, int], domain: Domain, before: float, now: float) -> str:
        """What makes the elements of a place others on one frame than on another, in words. at: as `State.at`."""
        shape, effects_before = at
        for index in range(effects_before + 1):
            then, here = (self._geometry_on(frame, (shape, index)) for frame in (before, now))
            if identity_digest(then, domain) != identity_digest(here, domain):
                break
        if index == 0:
            return "the shape it is made from"
        slots = list(self.planned(now).parts.enabled_slots(shape))
        return f"its effect {slots[index - 1].effect.label}"

    def _geometry_on(self, frame: float, at: tuple[str, int]) -> Geometry:
        moment = self.running(frame)
        return moment.settled(lambda: moment.graph.state_at(*at)).geometry

    def _run(self, frame: float, plan: Callable[[Moment], Stage[Floats]], token: Token) -> Floats:
        moment = self.running(frame)
        made: Floats = _checked(moment.settled(lambda: plan(moment)), token, frame)
        return made

    def stack_on(
        self, schedule: Schedule, problems: Problems, now: float, frame: float, falloff: str, state: State
    ) -> Stack:
        """A falloff's layers as they are at the same place on another frame; what is wrong there is wrong here (now)."""
        key = frame, falloff, state.at, state.domain, state.asked_by

        def plan(moment: Moment) -> Stack:
            return moment.measuring.stack_now(moment.parts.falloff(falloff), _same_place(moment, state))

        if key not in self._elsewhere:
            moment = self.planned(frame)
            made = plan(moment)
            wrong = [(problem.path, problem.text) for problem in moment.problems.all() if problem.path[1] == falloff]
            measured, values = [item.token for item in made.measured], [item.token for item in made.values]
            self._elsewhere[key] = _Elsewhere(made.falloff, made.layers, measured, values, made.made_from, wrong)
        there = self._elsewhere[key]
        for path, text in there.problems:
            problems.add(path, text)

        def stages(name: str, tokens: list[Token]) -> list[Values]:
            found = []
            for number, token in enumerate(tokens):
                pick = partial(_picked, plan, name, number)
                own = schedule.stage(token.name, token.made_from, partial(self._run, frame, pick, token))
                found.append(self._brought(schedule, now, frame, state, own))
            return found

        measured_here = stages("measured", there.measured)
        values_here = stages("values", there.values)
        made_from = there.made_from
        if values_here and values_here[0].token != there.values[0]:
            made_from = made_from, state.stage.token, state.domain
        return Stack(there.falloff, state, there.layers, measured_here, values_here, made_from)


def _same_place(moment: Moment, state: State) -> State:
    return moment.graph.on(moment.graph.place_of(state.at, state.asked_by), state.domain)


def _picked(plan: Callable[[Moment], Stack], name: str, number: int, moment: Moment) -> Values:
    stages: list[Values] = getattr(plan(moment), name)
    return stages[number]


def _checked(stage: Stage[Any], token: Token, frame: float) -> Any:
    """What a stage made on another frame, if it is what was planned and not what stands in for a failure."""
    if stage.token.digest != token.digest:
        raise CannotEvaluateError(f"it cannot be had on frame {frame:g}: go there to see why")
    return stage.value
