"""The plans of other frames of one scene, and what is asked of them."""

from collections.abc import Callable
from functools import partial
from typing import Any, NamedTuple
from weakref import proxy

from estompe.document.project import Project
from estompe.document.scene import Falloff, Layer
from estompe.evaluation.planning import computing
from estompe.evaluation.planning.inputs import View
from estompe.evaluation.planning.others import Kept, Place
from estompe.evaluation.planning.phases import Phases
from estompe.evaluation.planning.plan import Plan
from estompe.evaluation.planning.problems import Problems
from estompe.evaluation.planning.resolved import ResolvedScene
from estompe.evaluation.planning.shapes import EffectChain
from estompe.evaluation.planning.stack import Stack
from estompe.evaluation.planning.state import State, Values
from estompe.evaluation.running.memo import Memo
from estompe.evaluation.running.node import Keyed, Node
from estompe.evaluation.running.schedule import Schedule
from estompe.evaluation.running.token import Token
from estompe.geometry import Domain, Geometry
from estompe.geometry.matching import identity_digest
from estompe.kinds.context import CannotEvaluateError
from estompe.kinds.numbers import plain

# Plans hold arrays, so only the last few are kept.
_PLANS = 4


class _StackThere(NamedTuple):
    """A falloff's layers on another frame, as tokens: they hold no arrays."""

    falloff: Falloff
    layers: tuple[Layer, ...]
    measured: list[Token]
    values: list[Token]
    token: Any
    problems: list[tuple[Any, str]]


class OtherFrames:
    """The plans of one scene beside the one that is evaluated. pause: called before each node is run; may raise.

    A node of another frame has the same key in every plan that asks for it, so that nothing is computed twice.
    """

    def __init__(self, project: Project, memo: Memo, pause: Callable[[], None], rough: float = 1.0) -> None:
        self.project, self.memo, self.pause, self.rough = project, memo, pause, rough
        # Plans that only give keys are never run: the nodes that wait there are not wanted.
        self._planned: dict[float, Plan] = {}
        self._running: dict[float, Plan] = {}
        self._first: Plan | None = None
        self._stacks: dict[Any, _StackThere] = {}
        self._strengths: dict[Any, Token] = {}
        me = proxy(self)
        self.phases = Phases(project, lambda path, frame: plain(me.parts_on(frame).part(path)))

    def state_after(self, schedule: Schedule, frame: float, place: Place, view: View) -> Node[Kept]:
        """The node of a place's state after a frame."""
        raise NotImplementedError

    def planned(self, frame: float) -> Plan:
        """The plan of a frame, for keys alone."""
        return self._from(self._planned, frame)

    def running(self, frame: float) -> Plan:
        """The plan of a frame, to be run. One that is at work gets a double: it may come to look at its own frame."""
        plan = self._from(self._running, frame)
        return self._new(frame) if plan.schedule.busy else plan

    def _from(self, pool: dict[float, Plan], frame: float) -> Plan:
        plan = pool.pop(frame, None) or self._new(frame)
        pool[frame] = plan
        while len(pool) > _PLANS:
            del pool[next(iter(pool))]
        return plan

    def _new(self, frame: float) -> Plan:
        # Weak, since it is held here: circles wait for the collector with all their arrays.
        me = proxy(self)
        return Plan(self.project, frame, self.memo, me, lambda: me.pause(), False, self.rough)

    def _node(self, schedule: Schedule, frame: float, pick: Callable[[Plan], Node[Any]], token: Token) -> Node[Any]:
        """A node of another frame. pick: finds it in a plan of that frame; token: what stands for it there."""
        return schedule.elsewhere(token.name, token.made_from, partial(self._run, frame, pick, token))

    def _run(self, frame: float, pick: Callable[[Plan], Node[Any]], token: Token) -> Any:
        """The value of a node on another frame, if it is the planned one and not what stands in for a failure."""
        plan = self.running(frame)
        node = plan.settled(lambda: pick(plan))
        if node.token.digest != token.digest:
            raise CannotEvaluateError(f"it cannot be had on frame {frame:g}: go there to see why")
        return node.value

    def parts_on(self, frame: float) -> ResolvedScene:
        """The resolved scene on another frame."""
        return self.planned(frame).parts

    def chain_on(self, schedule: Schedule, problems: Problems, frame: float, shape: str) -> EffectChain:
        """What a shape goes through on another frame; what is wrong there is wrong here."""
        plan = self.planned(frame)
        there = plan.chain_now(shape)
        for problem in plan.problems.all():
            if problem.path[1] == shape or problem.path[0] == "falloffs":
                problems.add(problem.path, problem.text)

        def here(index: int, state: State) -> State:
            node = self._node(schedule, frame, partial(_in_chain, shape, index), state.node.token)
            return State(node, state.tokens, state.matrix, state.color, state.at, state.domain, state.asked_by)

        steps = [(slot, here(index, state)) for index, (slot, state) in enumerate(there.steps)]
        return EffectChain(steps, here(len(steps), there.last))

    def at_start(self, schedule: Schedule, frame: float, slot: str, state: State) -> Values | None:
        """An effect's strength on the first frame of the shot; None on that frame itself, where it is found as ever."""
        first = self.project.scene.first
        if frame == first:
            return None
        if self._first is None:
            self._first = self._new(first)
        plan = self._first
        values = plan.settled(lambda: plan.slot_strength(state.at[0], slot))
        return self._brought(schedule, frame, float(first), state, values)

    def state_on(self, schedule: Schedule, frame: float, state: State) -> State:
        """The same place of the same shape on another frame."""
        there = self.planned(frame).same_place(state)
        node = self._node(schedule, frame, lambda plan: plan.same_place(state).node, there.node.token)
        return State(node, there.tokens, there.matrix, there.color, there.at, there.domain, there.asked_by)

    def strength_on(self, schedule: Schedule, now: float, frame: float, falloff: str, state: State) -> Values:
        """A falloff's strength as it is at the same place on another frame. Raises CannotEvaluateError."""
        key = frame, falloff, state.at, state.domain, state.asked_by

        def pick(plan: Plan) -> Values:
            return plan.strength(falloff, plan.same_place(state))

        token = self._strengths.get(key)
        if token is None:
            token = self._strengths[key] = pick(self.planned(frame)).token
        return self._brought(schedule, now, frame, state, self._node(schedule, frame, pick, token))

    def stack_on(
        self, schedule: Schedule, problems: Problems, now: float, frame: float, falloff: str, state: State
    ) -> Stack:
        """A falloff's layers as they are at the same place on another frame; what is wrong there is wrong here (now)."""
        key = frame, falloff, state.at, state.domain, state.asked_by
        there = self._stacks.get(key)
        if there is None:
            there = self._stacks[key] = self._stack_there(frame, falloff, state)
        for path, text in there.problems:
            problems.add(path, text)

        def here(name: str, tokens: list[Token]) -> tuple[Values, ...]:
            picks = [partial(_in_stack, falloff, state, name, number) for number in range(len(tokens))]
            nodes = [self._node(schedule, frame, pick, token) for pick, token in zip(picks, tokens, strict=True)]
            return tuple([self._brought(schedule, now, frame, state, node) for node in nodes])

        measured, values = here("measured", there.measured), here("values", there.values)
        token = there.token
        if values and values[0].token != there.values[0]:
            token = token, state.node.token, state.domain
        return Stack(there.falloff, state, there.layers, measured, values, token)

    def _stack_there(self, frame: float, falloff: str, state: State) -> _StackThere:
        plan = self.planned(frame)
        stack = _stack(plan, falloff, state)
        wrong = [(problem.path, problem.text) for problem in plan.problems.all() if problem.path[1] == falloff]
        measured, values = [item.token for item in stack.measured], [item.token for item in stack.values]
        return _StackThere(stack.falloff, stack.layers, measured, values, stack.token, wrong)

    def _brought(self, schedule: Schedule, now: float, frame: float, state: State, values: Values) -> Values:
        """Values of a place on another frame, on its elements on this one (now). Raises CannotEvaluateError."""
        there = self.state_on(schedule, frame, state)
        if there.tokens["topology"] == state.tokens["topology"]:
            return values
        explained = Keyed(lambda: self._other_elements(state, now, frame))
        return schedule.node(computing.brought, values, state.node, there.node, state.domain, explained)

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
        plan = self.running(frame)
        return plan.settled(lambda: plan.state_at(*at)).geometry


def _in_chain(shape: str, index: int, plan: Plan) -> Node[Geometry]:
    """The mesh before one of a shape's effects, or after all of them."""
    chain = plan.chain_now(shape)
    return (chain.steps[index][1] if index < len(chain.steps) else chain.last).node


def _stack(plan: Plan, falloff: str, state: State) -> Stack:
    return plan.stack_now(plan.parts.falloff(falloff), plan.same_place(state))


def _in_stack(falloff: str, state: State, name: str, number: int, plan: Plan) -> Values:
    """One of the nodes of a falloff's layers: what it measures, or its values."""
    nodes: tuple[Values, ...] = getattr(_stack(plan, falloff, state), name)
    return nodes[number]
