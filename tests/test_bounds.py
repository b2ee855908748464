"""No kernel reads past the end of an array: random scenes with bounds checks compiled in."""

import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from tests.random_scenes import FEW_EFFECTS, FEW_SOURCES, random_scene, trouble

ROOT = Path(__file__).resolve().parents[1]
# Not optimized, which takes half the time to compile and checks the same.
CHECKED = {
    "NUMBA_BOUNDSCHECK": "1",
    "NUMBA_OPT": "0",
    "NUMBA_CACHE_DIR": str(ROOT / "build" / "bounds-checked-quickly"),
}


@pytest.mark.parametrize("seed", range(100, 124))
def test_random_scenes_raise_and_log_nothing(seed):
    scene = random_scene(np.random.default_rng(seed), FEW_SOURCES, FEW_EFFECTS)
    assert list(trouble(scene)) == []


@pytest.mark.thorough
def test_kernels_stay_within_their_arrays():
    command = [sys.executable, "-m", "tests.random_scenes", "--count", "30", "--seed", "1"]
    run = subprocess.run(command, cwd=ROOT, env={**os.environ, **CHECKED}, capture_output=True, text=True, timeout=220)
    assert run.returncode == 0, run.stdout + run.stderr
    assert "30 scenes, 0 faults" in run.stdout


def test_a_kernel_that_reads_past_the_end_is_found():
    script = (
        "import numpy as np\n"
        "from estompe.kernels.compile import kernel\n"
        "@kernel\n"
        "def beyond(values):\n"
        "    return values[values.shape[0] + 2]\n"
        "beyond.options['cache'] = False\n"
        "beyond(np.zeros(3, np.float32))\n"
    )
    run = subprocess.run([sys.executable, "-c", script], env={**os.environ, **CHECKED}, capture_output=True, text=True)
    assert "IndexError" in run.stderr
