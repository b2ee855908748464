"""Computing the states of a scene ahead of time, and keeping them with the scene."""

from pathlib import Path

import numpy as np
from msgspec import structs

from estompe.document.project import Project, asset_name
from estompe.document.scene import BakedState
from estompe.evaluation import Memo, evaluate
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.past import Past
from estompe.evaluation.time.state_files import StateFolder, default_folder, packed
from estompe.files.progress import ExchangeError, Progress
from estompe.geometry import frozen


def past_of(project: Project, states: Path | None = None, *, only_kept: bool = False) -> Past:
    """The other moments of a project, over what has been remembered on this machine.

    Parameters
    ----------
    project : Project
        The scene and its arrays.
    states : Path, optional
        The folder of states; the person's cache if it is not given.
    only_kept : bool
        Whether a state that is not cached is an error, instead of being computed.
    """
    past = Past(project, Memo(), Keep(folder=StateFolder(states or default_folder())))
    past.only_kept = only_kept
    return past


def work_out(past: Past, first: int, last: int, progress: Progress = lambda _fraction, _text: None) -> int:
    """Compute all states of a scene up to a frame, from the nearest cached ones.

    Parameters
    ----------
    past : Past
        The moments of the scene.
    first, last : int
        The frames.
    progress : callable
        Told a fraction and words; may raise to cancel.

    Returns
    -------
    int
        How many steps were run.

    Raises
    ------
    ExchangeError
        Where something that remembers has a problem.
    """
    for number in range(first, last + 1):
        progress((number - first) / (last - first + 1), f"working out frame {number} of {first}–{last}")
        frame = evaluate(past.project, number, past.memo, None, past)
        wrong = next((problem for problem in frame.problems if problem.blocks), None)
        if wrong is not None:
            raise ExchangeError(f"frame {number}: {wrong.text}")
    return past.steps


def with_states(past: Past, every: int = 1) -> Project:
    """The project with its cached states, so that they need not be computed again.

    Parameters
    ----------
    past : Past
        The moments of the scene, whose states have been worked out.
    every : int
        Only every so many frames, and the last; those in between are stepped from these.

    Returns
    -------
    Project
        The same scene with states in place of those it had.
    """
    project, found, assets = past.project, [], dict(past.project.assets)
    for place, links in past.links.items():
        last = max(links, default=0)
        for frame, digest in links.items():
            kept = past.kept(place, digest) if (frame % every == 0 or frame == last) else None
            if kept is not None:
                array = frozen(np.frombuffer(packed(kept, digest), np.uint8))
                assets[asset_name(array)] = array
                found.append(BakedState(digest.hex(), asset_name(array)))
    return Project(structs.replace(project.scene, states=tuple(found)), assets)
