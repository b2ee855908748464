"""Which elements of a mesh on one frame are which on another: by their ids, or by their numbers where those mean the same."""

from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray

from estompe.geometry.geometry import Domain, Geometry, GeometryError
from estompe.geometry.samples import samples_of
from estompe.kernels.types import Floats, frozen

Numbers = NDArray[np.int64]


def matched(here: Geometry, there: Geometry, domain: Domain) -> Numbers | None:
    """Find each element of a mesh on another frame of the same shape.

    Parameters
    ----------
    here, there : Geometry
        The mesh now, and at the same place of its chain on another frame.
    domain : Domain
        The kind of element: points, faces or pieces.

    Returns
    -------
    int64 (n,) or None
        For each element here its number there, -1 where it does not exist there. None where all numbers are the same.

    Raises
    ------
    GeometryError
        Where elements have no ids and their numbers do not mean the same on both frames.
    """
    if here is there:
        return None
    own, other = identities(here, domain), identities(there, domain)
    if own is not None and other is not None and _word(here, domain) == _word(there, domain):
        return _by_ids(own, other)
    if own is None and other is None and _numbers_alike(here, there, domain):
        return None
    now, then = here.count(domain), there.count(domain)
    counts = f"there are {now:,} here and {then:,} there" if now != then else "they were numbered anew"
    raise GeometryError(f"its {domain.value}s are not the same ones, and have no ids ({counts})")


def brought(values: Floats, here: Geometry, there: Geometry, domain: Domain) -> Floats:
    """Bring values of elements on another frame to the same elements now.

    Parameters
    ----------
    values : float32 (count there,)
        One value per element there.
    here, there : Geometry
        As for `matched`.
    domain : Domain
        The kind of element.

    Returns
    -------
    float32 (count here,)
        An element that does not exist there takes the value of the one nearest to it at rest, or 0 where there is none.

    Raises
    ------
    GeometryError
        As `matched` does.
    """
    numbers = matched(here, there, domain)
    if numbers is None:
        return values
    if not len(values):
        return frozen(np.zeros(len(numbers), np.float32))
    missing = np.flatnonzero(numbers < 0)
    if len(missing):
        numbers[missing] = _nearest_at_rest(here, there, domain, missing)
    return frozen(values[numbers])


def identities(mesh: Geometry, domain: Domain) -> Numbers | None:
    """Return the ids that stay with a mesh's elements, int64 (n,), or None where only their numbers tell them apart."""
    if domain is Domain.PIECE:
        return np.asarray(samples_of(mesh, domain).ids) if mesh.is_parted else None
    return mesh.point_ids if domain is Domain.POINT else None


def identity_digest(mesh: Geometry, domain: Domain) -> bytes:
    """Return what tells a mesh's elements from others in any process, 16 bytes: equal for the same elements on any frame."""
    ids = identities(mesh, domain)
    if ids is not None:
        return blake2b(np.ascontiguousarray(ids).tobytes(), digest_size=16).digest()
    if domain is Domain.PIECE:
        return bytes(16)
    return mesh.topology.points_digest if domain is Domain.POINT else mesh.topology.faces_digest


def _numbers_alike(here: Geometry, there: Geometry, domain: Domain) -> bool:
    if domain is Domain.PIECE:
        return True  # each is one undivided mesh
    return here.topology.numbers_like(there.topology, points=domain is Domain.POINT)


def _word(mesh: Geometry, domain: Domain) -> str:
    return mesh.piece_word if domain is Domain.PIECE else domain.value


def _by_ids(own: Numbers, other: Numbers) -> Numbers | None:
    if np.array_equal(own, other):
        return None
    if not len(other):
        return np.full(len(own), -1, np.int64)
    order = np.argsort(other, kind="stable")
    at = np.minimum(np.searchsorted(other[order], own), len(other) - 1)
    numbers = order[at]
    return np.where(other[numbers] == own, numbers, -1)


def _nearest_at_rest(here: Geometry, there: Geometry, domain: Domain, chosen: Numbers) -> Numbers:
    from scipy.spatial import cKDTree  # slow to import, and few need it

    _, nearest = cKDTree(samples_of(there, domain).rest).query(samples_of(here, domain).rest[chosen])
    return np.asarray(nearest, np.int64)
