"""Compiled loops: arrays in, arrays out; they know nothing else.

Every kernel takes C-contiguous float32 (or integer) arrays, read-only or not, and allocates its result. Loops run in
blocks of `BLOCK` points whatever the number of threads, so results do not depend on the thread count. Kernels that
read interleaved x y z take the flat view: only then does the compiler know the stride and vectorise the loads.
"""

import os

# A spinning OpenMP pool steals the other core from the interface thread; it must sleep between regions.
os.environ.setdefault("OMP_WAIT_POLICY", "passive")

import llvmlite.binding as llvm

_cpu = llvm.get_host_cpu_features()
if _cpu.get("avx512f"):
    # LLVM keeps to 256-bit vectors unless told otherwise; the noise kernels are 1.7 times faster with 512.
    _cpu["prefer-256-bit"] = False
    os.environ.setdefault("NUMBA_CPU_FEATURES", _cpu.flatten())

import numba  # noqa: E402

if "NUMBA_CPU_FEATURES" in os.environ:
    # Said again for whoever imported Numba first; once it has compiled something it no longer listens.
    numba.config.CPU_FEATURES = os.environ["NUMBA_CPU_FEATURES"]

# The default layer (workqueue) is not safe when several Python threads run kernels at once.
numba.config.THREADING_LAYER = "threadsafe"

BLOCK = 512
SPAN = 8 * BLOCK
"""Points for which a loop with several scratch arrays fetches them once: fetched for each block, they cost up to a tenth of
the loop in a process whose memory is in many pieces."""
PARALLEL_FROM = 16_384
"""Points below which one thread is faster than waking a second one."""
