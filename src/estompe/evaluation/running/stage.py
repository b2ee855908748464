"""One step of an evaluation: how it is computed, and what it made once it has been."""

from collections.abc import Callable
from typing import Generic, Protocol, TypeVar

from msgspec import Struct

from estompe.evaluation.running.token import Token


class _Sized(Protocol):
    @property
    def nbytes(self) -> int: ...


Sized = TypeVar("Sized", bound=_Sized)


class Stage(Struct, Generic[Sized], weakref=True):
    """A step that is run at most once.

    token: stands for the value in the keys of later stages, before and after it is there; compute: makes the value, None
    once it has; made: the value, or None before that, so ask for `value`.
    """

    name: str
    token: Token
    compute: Callable[[], Sized] | None
    made: Sized | None = None

    @property
    def value(self) -> Sized:
        """What the stage made. Raises RuntimeError while it has not been run."""
        if self.made is None:
            raise RuntimeError(f"the stage “{self.name}” is asked for before it has been run")
        return self.made
