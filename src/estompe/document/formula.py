"""Formulas: plain arithmetic with names, parsed into a tree and computed by walking it; nothing is ever executed.

Chains such as a + b + c are as deep as they are long, so they are walked in a loop; only nesting is limited.

Values are floats or float arrays of one value per element. Angles are degrees. Conditions give 1 where they hold, else 0.
"""

import re
from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any

import numpy as np
from msgspec import Struct

Value = Any
"""A float, or a float64 array of one value per element."""
Names = Callable[[tuple[str, ...]], Value]
"""Gives the value of a dotted name; raises LookupError with words where there is none."""
Ask = Callable[[str, tuple["Node", ...]], Value | None]
"""Answers calls that look at the scene; None for those it does not know."""

PER_ELEMENT = {(name,) for name in ("x", "y", "z", "nx", "ny", "nz", "id", "count", "random", "frame", "seconds")}
"""Names that a formula per element knows besides the scene's numbers."""
LONGEST = 1000
_DEEPEST = 60
_ROUNDING = 1e-12
"""A number so near zero is taken for zero under a square root, where rounding could make it negative."""
_TOKEN = re.compile(r"\s*(?:((?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)|([^\W\d]\w*)|'([^']*)'|(<=|>=|==|!=|[-+*/^(),.<>]))")


class FormulaError(ValueError):
    """A formula that cannot be used; begin and end are the place in its text."""

    def __init__(self, text: str, begin: int, end: int) -> None:
        super().__init__(text)
        self.begin, self.end = begin, end


class Node(Struct, frozen=True):
    """A part of a formula. what: "number", "name", "call" or an operator."""

    what: str
    begin: int
    end: int
    value: float = 0.0
    parts: tuple[str, ...] = ()
    inner: tuple["Node", ...] = ()


def _root(a: Value) -> Value:
    if (np.asarray(a) < -_ROUNDING).any():
        raise ValueError("the square root of a number below zero; write sqrt(max(0, ...)) where zero is meant")
    return np.sqrt(np.maximum(a, 0.0))


FUNCTIONS: dict[str, tuple[int, int, Callable[..., Value]]] = {
    "abs": (1, 1, np.abs),
    "sqrt": (1, 1, _root),
    "sin": (1, 1, lambda a: np.sin(np.radians(a))),
    "cos": (1, 1, lambda a: np.cos(np.radians(a))),
    "tan": (1, 1, lambda a: np.tan(np.radians(a))),
    "exp": (1, 1, np.exp),
    "floor": (1, 1, np.floor),
    "round": (1, 1, np.round),
    "min": (2, 9, lambda *a: _fold(np.minimum, a)),
    "max": (2, 9, lambda *a: _fold(np.maximum, a)),
    "clamp": (3, 3, lambda a, low, high: np.minimum(np.maximum(a, low), high)),
    "mix": (3, 3, lambda a, b, fraction: a + (b - a) * fraction),
    "ease": (1, 1, lambda a: (lambda t: t * t * (3.0 - 2.0 * t))(np.minimum(np.maximum(a, 0.0), 1.0))),
    "if": (3, 3, lambda condition, yes, no: np.where(np.asarray(condition) != 0, yes, no)),
}
"""What can be called: fewest and most arguments, and the arithmetic, which may raise ValueError with words."""


def _fold(join: Callable[[Value, Value], Value], values: tuple[Value, ...]) -> Value:
    total = values[0]
    for value in values[1:]:
        total = join(total, value)
    return total


@lru_cache(4096)
def parse(text: str) -> Node:
    """The tree of a formula. Raises FormulaError with the place of what is wrong."""
    if len(text) > LONGEST:
        raise FormulaError(f"longer than {LONGEST} characters", LONGEST, len(text))
    return _Parser(text).whole()


_LEVELS = (("or",), ("and",), ("<", ">", "<=", ">=", "==", "!="), ("+", "-"), ("*", "/"))


class _Token(Struct, frozen=True):
    kind: str
    text: str
    begin: int
    end: int


class _Parser:
    """Reads a formula from left to right, one level of binding after the other."""

    def __init__(self, text: str) -> None:
        self._tokens = _tokens(text)
        self._at = 0
        self._depth = 0

    def whole(self) -> Node:
        node = self._level(0)
        rest = self._peek()
        if rest.kind != "end":
            raise FormulaError(f"“{rest.text}” does not fit here", rest.begin, rest.end)
        return node

    def _peek(self) -> _Token:
        return self._tokens[self._at]

    def _take(self) -> _Token:
        token = self._tokens[self._at]
        self._at = min(self._at + 1, len(self._tokens) - 1)
        return token

    def _expect(self, text: str) -> _Token:
        token = self._take()
        if token.text != text or token.kind == "quoted":
            raise FormulaError(f"expected “{text}”", token.begin, max(token.end, token.begin + 1))
        return token

    def _level(self, level: int) -> Node:
        if level == len(_LEVELS):
            return self._signed()
        left = self._level(level + 1)
        while self._peek().text in _LEVELS[level] and self._peek().kind != "quoted":
            operator = self._take().text
            right = self._level(level + 1)
            left = Node(operator, left.begin, right.end, inner=(left, right))
        return left

    def _signed(self) -> Node:
        token = self._peek()
        if token.kind != "quoted" and token.text in ("-", "+", "not"):
            self._take()
            self._enter(token)
            inner = self._signed()
            self._depth -= 1
            return inner if token.text == "+" else Node(f"{token.text} one", token.begin, inner.end, inner=(inner,))
        return self._power()

    def _power(self) -> Node:
        base = self._single()
        if self._peek().text == "^":
            self._enter(self._take())
            exponent = self._signed()
            self._depth -= 1
            return Node("^", base.begin, exponent.end, inner=(base, exponent))
        return base

    def _enter(self, token: _Token) -> None:
        self._depth += 1
        if self._depth > _DEEPEST:
            raise FormulaError("nested too deeply", token.begin, token.end)

    def _single(self) -> Node:
        token = self._take()
        if token.kind == "number":
            return Node("number", token.begin, token.end, value=float(token.text))
        if token.text == "(" and token.kind == "sign":
            self._enter(token)
            inner = self._level(0)
            self._expect(")")
            self._depth -= 1
            return inner
        if token.kind in ("word", "quoted"):
            return self._called(token) if self._peek().text == "(" and token.kind == "word" else self._named(token)
        what = "something is missing here" if token.kind == "end" else f"“{token.text}” does not fit here"
        raise FormulaError(what, token.begin, max(token.end, token.begin + 1))

    def _named(self, first: _Token) -> Node:
        parts, end = [first.text], first.end
        while self._peek().text == "." and self._peek().kind == "sign":
            self._take()
            token = self._take()
            if token.kind not in ("word", "quoted"):
                raise FormulaError("a name is missing after the dot", token.begin, max(token.end, token.begin + 1))
            parts.append(token.text)
            end = token.end
        return Node("name", first.begin, end, parts=tuple(parts))

    def _called(self, name: _Token) -> Node:
        opened = self._take()
        self._enter(opened)
        arguments: list[Node] = []
        if self._peek().text != ")":
            arguments.append(self._level(0))
            while self._peek().text == ",":
                self._take()
                arguments.append(self._level(0))
        closed = self._expect(")")
        self._depth -= 1
        known = FUNCTIONS.get(name.text)
        if known is not None and not known[0] <= len(arguments) <= known[1]:
            wanted = str(known[0]) if known[0] == known[1] else f"{known[0]} to {known[1]}"
            raise FormulaError(f"{name.text} takes {wanted} values, not {len(arguments)}", name.begin, closed.end)
        return Node("call", name.begin, closed.end, parts=(name.text,), inner=tuple(arguments))


def _tokens(text: str) -> list[_Token]:
    found: list[_Token] = []
    at = 0
    while text[at:].strip():
        match = _TOKEN.match(text, at)
        if match is None:
            begin = at + len(text[at:]) - len(text[at:].lstrip())
            raise FormulaError(f"“{text[begin]}” does not belong in a formula", begin, begin + 1)
        kind = ("number", "word", "quoted", "sign")[(match.lastindex or 1) - 1]
        word = match[match.lastindex or 1]
        found.append(_Token(kind, word, match.start(match.lastindex or 1) - (kind == "quoted"), match.end()))
        at = match.end()
    return [*found, _Token("end", "", len(text), len(text))]


def names_in(node: Node) -> set[tuple[str, ...]]:
    """Every dotted name a formula uses."""
    return {part.parts for part in nodes_of(node) if part.what == "name"}


def nodes_of(node: Node) -> Iterator[Node]:
    """A node and all below it, in no particular order."""
    waiting = [node]
    while waiting:
        part = waiting.pop()
        waiting += part.inner
        yield part


_BINARY: dict[str, Callable[[Value, Value], Value]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "<": np.less,
    ">": np.greater,
    "<=": np.less_equal,
    ">=": np.greater_equal,
    "==": np.equal,
    "!=": np.not_equal,
    "and": lambda a, b: np.logical_and(np.asarray(a) != 0, np.asarray(b) != 0),
    "or": lambda a, b: np.logical_or(np.asarray(a) != 0, np.asarray(b) != 0),
}


def compute(node: Node, names: Names, ask: Ask = lambda _name, _inner: None) -> Value:
    """The value of a formula. Raises FormulaError for an unknown name, a division by zero or a result that is no number."""
    with np.errstate(all="ignore"):
        value = _worked(node, names, ask)
    if not np.isfinite(value).all():
        raise FormulaError("the result is not a finite number", node.begin, node.end)
    return value


def _worked(node: Node, names: Names, ask: Ask) -> Value:
    if node.what == "number":
        return node.value
    if node.what == "name":
        try:
            return names(node.parts)
        except LookupError as error:
            raise FormulaError(str(error.args[0]), node.begin, node.end) from None
    if node.what == "call":
        return _worked_call(node, names, ask)
    if len(node.inner) == 1:
        value = _worked(node.inner[0], names, ask)
        if node.what == "not one":
            return np.asarray(np.asarray(value) == 0, np.float64)[()]
        return -np.asarray(value, np.float64) if np.ndim(value) else -value
    chain = []
    while len(node.inner) == 2 and node.what != "call":
        chain.append(node)
        node = node.inner[0]
    total = _worked(node, names, ask)
    for step in reversed(chain):
        total = _joined(step, total, _worked(step.inner[1], names, ask))
    return total


def _joined(node: Node, left: Value, right: Value) -> Value:
    """What an operator makes of two values."""
    if node.what == "/":
        if (np.asarray(right) == 0).any():
            raise FormulaError("division by zero", node.inner[1].begin, node.inner[1].end)
        return np.divide(left, right)
    if node.what == "^":
        return np.power(np.asarray(left, np.float64), right)[()]
    return np.asarray(_BINARY[node.what](left, right), np.float64)[()]


def _worked_call(node: Node, names: Names, ask: Ask) -> Value:
    name = node.parts[0]
    if name in FUNCTIONS:
        values = [_worked(part, names, ask) for part in node.inner]
        try:
            return np.asarray(FUNCTIONS[name][2](*values), np.float64)[()]
        except ValueError as error:
            raise FormulaError(str(error), node.begin, node.end) from None
    try:
        asked = ask(name, node.inner)
    except LookupError as error:
        raise FormulaError(str(error.args[0]), node.begin, node.end) from None
    if asked is None:
        known = ", ".join(sorted(FUNCTIONS))
        raise FormulaError(f"“{name}” is not something to call; there are: {known}", node.begin, node.begin + len(name))
    return asked
