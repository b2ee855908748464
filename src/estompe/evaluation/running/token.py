"""Numbers that stand for values in keys, and what they stand for in any process: digests of everything that led there."""

from collections.abc import Hashable
from hashlib import blake2b
from typing import Any

import msgspec
import numpy as np

from estompe.kinds.unknown_kind import UnknownKind

DIGEST_SIZE = 16


class Token(int):
    """Stands for a value in the keys of later stages. name, made_from: the key it was given for."""

    name: str
    made_from: Hashable
    _digest: bytes | None = None

    @classmethod
    def of(cls, number: int, name: str, made_from: Hashable) -> "Token":
        """A token for a key."""
        made = cls(number)
        made.name, made.made_from = name, made_from
        return made

    @property
    def digest(self) -> bytes:
        """What stands for the value in any process, 16 bytes: made from the key, with the digests of tokens in it."""
        if self._digest is None:
            _fill_in(self)
        assert self._digest is not None
        return self._digest


def digest_of(key: Hashable) -> bytes:
    """What stands for a key in any process, 16 bytes (BLAKE2b, RFC 7693).

    Parameters
    ----------
    key : hashable
        Tuples, structs, tokens, texts, bytes and numbers.

    Returns
    -------
    bytes
        The same for equal structs and for tokens that were made from the same, in this process or another.
    """
    return _hashed(key)


def _fill_in(token: Token) -> None:
    """Compute missing digests, those of inner tokens first, in a loop: chains of references may be hundreds deep."""
    waiting = [token]
    while waiting:
        token = waiting[-1]
        missing: list[Token] = []
        _collect(token.made_from, missing)
        if missing:
            waiting += missing
        else:
            token._digest = _hashed((token.name, token.made_from))
            waiting.pop()


def _collect(item: Any, missing: list[Token]) -> None:
    """Tokens without a digest in a key."""
    kind = type(item)
    if kind is Token:
        if item._digest is None:
            missing.append(item)
    elif kind is tuple:
        for part in item:
            _collect(part, missing)


def _hashed(key: Hashable) -> bytes:
    return blake2b(_ENCODER.encode(_plain(key)), digest_size=DIGEST_SIZE).digest()


def _plain(item: Any) -> Any:
    kind = type(item)
    if kind is Token:
        return item._digest or item.digest
    if kind is tuple:
        return [_plain(part) for part in item]
    return item


def _encoded(item: Any) -> Any:
    """What msgspec has no form for."""
    if isinstance(item, UnknownKind):
        return item.raw
    if isinstance(item, np.generic):
        return item.item()
    raise TypeError(f"{type(item).__name__} cannot be part of a key that is kept")


_ENCODER = msgspec.msgpack.Encoder(enc_hook=_encoded)
