"""Shared by all tests: compiled kernels, folders of their own, and the sample at a small size."""

import os
from pathlib import Path

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import estompe  # noqa: F401 - registers the kinds
from estompe.document.project import Project
from estompe.evaluation.running import checked
from estompe.precompile import precompile
from estompe.samples import lantern_amphora

# What kinds of our own return is checked as closely as what plug-ins do.
checked.strict_everywhere = True


@pytest.fixture(scope="session", autouse=True)
def _compiled() -> None:
    """No test pays for compiling."""
    precompile()


@pytest.fixture(autouse=True)
def _own_folders(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Preferences and autosaves never touch the person's own."""
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))


@pytest.fixture
def small_sample() -> Project:
    """The sample with some hundred points."""
    return lantern_amphora.build(density=0.02)
