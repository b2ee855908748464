"""What scripts use: open a scene file, evaluate it on a frame, save it."""

import os
from pathlib import Path

from estompe.document import file
from estompe.document.project import Project
from estompe.evaluation import Frame, Memo
from estompe.evaluation import evaluate as evaluate_frame
from estompe.evaluation.time.keep import Keep
from estompe.evaluation.time.past import Past
from estompe.scripting.scene import Scene
from estompe.scripting.values import ScriptError

_MEMO, _KEEP = Memo(), Keep()
_PASTS: list[Past] = []


def _past_of(project: Project) -> Past:
    """The other moments of a project; the same for the same one, so that what it remembers is planned once."""
    if not _PASTS or _PASTS[0].project is not project:
        _PASTS[:] = [Past(project, _MEMO, _KEEP)]
    return _PASTS[0]


def open(path: str | os.PathLike[str]) -> Project:
    """Open a scene file.

    Parameters
    ----------
    path : str or path-like
        An `.estompe` file of this version or an older one.

    Returns
    -------
    Project
        The scene and the arrays beside it.

    Raises
    ------
    FileError
        With the file's name and what is wrong with it.

    Examples
    --------
    >>> import estompe, tempfile
    >>> from estompe.samples import sample
    >>> path = tempfile.mkdtemp() + "/moon.estompe"
    >>> estompe.save(sample("moon-swell").build(0.05), path)
    >>> estompe.open(path).scene.shapes[0].name
    'Moon'
    """
    return file.load(Path(path))


def save(project: Project | Scene, path: str | os.PathLike[str]) -> None:
    """Write a project to a scene file, whole or not at all.

    Parameters
    ----------
    project : Project or Scene
        The scene and the arrays beside it, or one that a script builds.
    path : str or path-like
        The file; one that is there is replaced.

    Raises
    ------
    FileError
        Where it cannot be written; what was there stays.
    """
    file.save(project.project if isinstance(project, Scene) else project, Path(path))


def evaluate(project: Project | Scene, frame: float) -> Frame:
    """Evaluate every shape on one frame. Results are kept between calls, so unchanged stages are not computed again.

    Parameters
    ----------
    project : Project or Scene
        The scene and the arrays beside it, or one that a script builds.
    frame : float
        The frame; it may lie between whole ones.

    Returns
    -------
    Frame
        Shapes by name or id, in world space and scene units; strengths; and what is wrong.

    Raises
    ------
    ValueError
        For a frame that is no number.

    Examples
    --------
    >>> import estompe
    >>> from estompe.samples import sample
    >>> frame = estompe.evaluate(sample("moon-swell").build(0.05), 24)
    >>> frame["Moon"].points.dtype, frame["Moon"].points.shape[1]
    (dtype('float32'), 3)
    >>> frame.problems
    ()
    """
    whole = project.project if isinstance(project, Scene) else project
    if not isinstance(whole, Project):
        raise ScriptError(f"evaluate takes a project or a Scene, not {type(whole).__name__}")
    return evaluate_frame(whole, frame, _MEMO, None, _past_of(whole))
