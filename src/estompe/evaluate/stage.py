"""One step of an evaluation: how it is worked out, and what it made once it has been."""

from collections.abc import Callable
from typing import Generic, Protocol, TypeVar

from msgspec import Struct


class _Sized(Protocol):
    @property
    def nbytes(self) -> int: ...


Sized = TypeVar("Sized", bound=_Sized)


class Stage(Struct, Generic[Sized]):
    """A step that is run at most once.

    token: stands for the value in the keys of later stages, before and after it is there; compute: makes the value, None
    once it has; value: None before that.
    """

    name: str
    token: int
    compute: Callable[[], Sized] | None
    value: Sized = None  # type: ignore[assignment]
