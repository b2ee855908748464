"""After warming up, evaluating the sample compiles nothing more."""

import os
import pickle
import subprocess
import sys

_FRESH = """
import sys
import estompe
from estompe.kernels.compile import Kernel
from estompe.precompile import precompile
from estompe.samples import SAMPLES, lantern_amphora

def compiled():
    modules = [module for name, module in sys.modules.items() if name.startswith("estompe.kernels.")]
    return {
        (module.__name__, name): len(item.signatures)
        for module in modules for name, item in vars(module).items()
        # Helpers are compiled into the loops that use them.
        if hasattr(item, "signatures") and not isinstance(item, type) and item.__module__ == module.__name__
        and not (item.options if isinstance(item, Kernel) else item.targetoptions).get("forceinline")
    }

precompile()
before = compiled()
for project in (lantern_amphora.build(0.02), *(sample.build() for sample in SAMPLES)):
    frame = estompe.evaluate(project, 16)
    for shape in frame:
        frame[shape].normals, frame[shape].topology.triangles
assert before["estompe.kernels.noise", "_noise_4_parallel"] == 1
assert compiled() == before, {k: (before[k], n) for k, n in compiled().items() if before[k] != n}
print("nothing more")
"""


_DAMAGED = """
import numpy as np
from estompe.kernels.bounds import bounds
print(bounds(np.array([[1.0, 2.0, 3.0], [0.0, 5.0, 1.0]], np.float32)))
"""


def test_a_damaged_cache_on_the_disk_is_compiled_anew(tmp_path):
    """Files that were cut off, and ones that name types that an older program had."""

    def run():
        environment = {**os.environ, "NUMBA_CACHE_DIR": str(tmp_path), "NUMBA_OPT": "0"}
        return subprocess.run(
            [sys.executable, "-c", _DAMAGED], capture_output=True, text=True, check=False, env=environment
        )

    wanted = run().stdout
    assert wanted.strip()
    for ending, bytes_left in (("nbi", 40), ("nbc", 40), ("nbi", 0)):
        files = list(tmp_path.rglob(f"*.{ending}"))
        assert files
        for path in files:
            path.write_bytes(path.read_bytes()[:bytes_left])
        done = run()
        assert done.stdout == wanted, done.stderr
    for path in tmp_path.rglob("*.nbi"):
        version = pickle.dumps(pickle.loads(path.read_bytes()))
        path.write_bytes(version + b"cestompe.kernels.types\nGone\n.")
    assert run().stdout == wanted


def test_warm_up_compiles_what_evaluation_needs():
    done = subprocess.run([sys.executable, "-c", _FRESH], capture_output=True, text=True, check=False)
    assert done.stdout.strip() == "nothing more", done.stderr
