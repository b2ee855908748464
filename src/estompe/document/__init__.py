"""What a scene is, how it is edited, and how it is kept in a file."""

from estompe.document.project import Assets, Project
from estompe.document.scene import Scene

__all__ = ["Assets", "Project", "Scene"]
