"""Small steps of rigid bodies with contacts and joints.

Constraints act on velocities, once in each of many small steps (Macklin et al. 2019, doi:10.1145/3309486.3340247). Overlaps and
joints push softly (Catto 2011, "Soft constraints"), and everything is solved once more without that push, so that it adds no
energy. No two constraints of one colour share a body that moves, so results do not depend on the number of threads.
"""

import types

import numpy as np

from estompe.kernels.compile import kernel, parallel_kernel, prange
from estompe.kernels.rigid.phases import (
    ACCELERATE,
    ADVANCE,
    AGAIN_JOINTS,
    BOUNCE,
    JOINTS,
    PHASES,
    RELAX_JOINTS,
    carry_out,
)

_BLOCK = 32


def _stepped(bodies, contacts, joints, air, steps):
    """Take small steps, in place: bodies, impulses of contacts and pulls of joints.

    Parameters
    ----------
    bodies : Bodies
    contacts : Contacts
    joints : Joints
    air : Air
    steps : Steps
    """
    n = bodies.position.shape[0]
    moved = np.zeros((n, 6))
    whole = np.array([0, n], np.int64)
    # One loop for everything: a parallel loop of each kind would be compiled by itself, with all that it calls.
    for turn in range(PHASES * steps.number + 1):
        phase = turn % PHASES if turn < PHASES * steps.number else BOUNCE
        if phase == BOUNCE and steps.bounce <= 0.0:
            continue
        starts = whole
        if phase == AGAIN_JOINTS or phase == JOINTS or phase == RELAX_JOINTS:
            starts = joints.starts
        elif phase != ACCELERATE and phase != ADVANCE:
            starts = contacts.starts
        for colour in range(starts.shape[0] - 1):
            first, last = starts[colour], starts[colour + 1]
            for block in prange((last - first + _BLOCK - 1) // _BLOCK):
                for k in range(first + block * _BLOCK, min(last, first + (block + 1) * _BLOCK)):
                    carry_out(phase, k, bodies, contacts, joints, moved, air, steps)


def _named(name):
    """The loop under another name: the cache on the disk tells loops of one module apart by their names."""
    twin = types.FunctionType(_stepped.__code__.replace(co_name=name), _stepped.__globals__, name)
    twin.__qualname__, twin.__module__, twin.__doc__ = name, _stepped.__module__, _stepped.__doc__
    return twin


step_together = parallel_kernel(_named("step_together"))
step_alone = kernel(_named("step_alone"))
"""The same on one thread, for few constraints: waking a second one costs more than they do."""
