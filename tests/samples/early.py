"""Frames on which samples are tested: those that remember are not stepped through from end to end."""

from estompe.document.project import Project
from estompe.farm.job import remembers

FEW = 24


def early(project: Project, frame: int) -> int:
    """A frame of a sample; of one that remembers, at most some frames after the first."""
    return min(frame, project.scene.first + FEW) if remembers(project.scene) else frame
