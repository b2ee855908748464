"""The base of everything a scene is made of."""

from typing import TYPE_CHECKING

from msgspec import Struct

if TYPE_CHECKING:

    class Part(Struct):
        """Seen like this by type checkers, which want `frozen` repeated on every class below a frozen one."""

        def __hash__(self) -> int: ...

else:

    class Part(Struct, frozen=True, cache_hash=True, forbid_unknown_fields=True):
        """A part of a scene: frozen, hashed once, and strict about unknown fields. msgspec hands these options down."""
