"""Bodies that come to rest sleep until something hits them."""

import numpy as np

from estompe.kernels.compile import kernel

_STILL_FOR = 0.5
_WAKING = 3.0


@kernel
def fall_asleep(contacts, bodies, radius, free, asleep, still_below, seconds, still_for):
    """Put a body to sleep once it and all that touches it have been still for half a second; wake sleeping bodies that are hit.

    Parameters
    ----------
    contacts : Contacts
    bodies : Bodies
        Velocities of what sleeps become zero, in place.
    radius : float64 (n,)
    free, asleep : bool (n,)
        asleep is changed in place.
    still_below : float
        The speed under which a body is still, scene units a second.
    seconds : float
        Since this was last asked.
    still_for : float64 (n,)
        How long each body has been still, seconds, changed in place.
    """
    n, v, w = radius.shape[0], bodies.velocity, bodies.spin
    speed = np.empty(n)
    for k in range(n):
        size = radius[k] if radius[k] < 1e6 else 0.0
        speed[k] = np.sqrt(v[k, 0] ** 2 + v[k, 1] ** 2 + v[k, 2] ** 2)
        speed[k] += size * np.sqrt(w[k, 0] ** 2 + w[k, 1] ** 2 + w[k, 2] ** 2)
        if free[k] and not asleep[k]:
            still_for[k] = still_for[k] + seconds if speed[k] < still_below else 0.0
    together = still_for.copy()
    for k in range(contacts.pairs.shape[0]):
        for side in range(2):
            a, b = contacts.pairs[k, side], contacts.pairs[k, 1 - side]
            if free[a] and not asleep[a]:
                if free[b]:
                    together[a] = min(together[a], still_for[b])
                elif speed[b] > still_below:
                    together[a] = 0.0
            elif free[a] and speed[b] > _WAKING * still_below:
                asleep[a] = False
                still_for[a] = 0.0
    for k in range(n):
        if free[k] and not asleep[k] and together[k] > _STILL_FOR:
            asleep[k] = True
            for i in range(3):
                v[k, i], w[k, i] = 0.0, 0.0
