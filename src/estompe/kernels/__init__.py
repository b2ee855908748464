"""Compiled loops: arrays in, arrays out; they know nothing else.

Every kernel takes C-contiguous float32 (or integer) arrays, read-only or not, and allocates its result. Loops run in
blocks of `BLOCK` points whatever the number of threads, so results do not depend on the thread count. Kernels that
read interleaved x y z take the flat view: only then does the compiler know the stride and vectorise the loads.
"""

BLOCK = 512
SPAN = 8 * BLOCK
"""Points for which a loop with several scratch arrays fetches them once: fetched for each block, they cost up to a tenth of
the loop in a process whose memory is in many pieces."""
PARALLEL_FROM = 16_384
"""Points below which one thread is faster than waking a second one."""
