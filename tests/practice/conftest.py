"""The window for practice, and the table of steps at the end of a run."""

import pytest

from tests.app.conftest import _soon_at_rest, driver, window  # noqa: F401 - fixtures
from tests.practice.hands import TABLE, Hands


@pytest.fixture
def hands(driver):  # noqa: F811 - the fixture of that name
    """Hands on an empty scene."""
    driver.window.run("new_scene")
    return Hands(driver)


def pytest_terminal_summary(terminalreporter):
    """Print how many steps each job took."""
    if TABLE:
        terminalreporter.write_line("steps of each job, and the most it may take")
        for job, (steps, most) in sorted(TABLE.items()):
            terminalreporter.write_line(f"  {job:<44} {steps:>4} {most:>4}")
