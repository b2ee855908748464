"""A cache of values derived from immutable parts of scenes, keyed by identity."""

from typing import Any, Generic, TypeVar

Found = TypeVar("Found")
_MOST = 100_000


class IdentityCache(Generic[Found]):
    """Findings by part. Holding the part keeps its identity from being given to another."""

    def __init__(self) -> None:
        self._found: dict[int, tuple[Any, Found]] = {}

    def get(self, part: Any) -> Found | None:
        """What was found out about this very part, if anything."""
        known = self._found.get(id(part))
        return known[1] if known is not None and known[0] is part else None

    def put(self, part: Any, found: Found) -> Found:
        """Keep a finding, and give it back."""
        if len(self._found) >= _MOST:
            self._found.clear()
        self._found[id(part)] = part, found
        return found
