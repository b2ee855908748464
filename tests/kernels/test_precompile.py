"""After warming up, evaluating the sample compiles nothing more."""

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
    frame = estompe.evaluate(project, 60)
    for shape in frame:
        frame[shape].normals, frame[shape].topology.triangles
assert before["estompe.kernels.noise", "_noise_4_parallel"] == 1
assert compiled() == before, {k: (before[k], n) for k, n in compiled().items() if before[k] != n}
print("nothing more")
"""


def test_warm_up_compiles_what_evaluation_needs():
    done = subprocess.run([sys.executable, "-c", _FRESH], capture_output=True, text=True, check=False)
    assert done.stdout.strip() == "nothing more", done.stderr
