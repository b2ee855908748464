"""A heap of numbers in the order of their times, each of which may become less while it waits.

heap: int32 (n,), the numbers that wait; place: int32 (n,), where each stands, -1 for one that does not; times: float64 (n,).
Equal times go by the number, so that the order is always the same.
"""

from estompe.kernels.compile import inlined


@inlined
def risen(times, heap, place, at):
    """Move an entry up to where it belongs, after it came in at the end or its time became less."""
    p = heap[at]
    while at > 0:
        up = (at - 1) >> 2
        other = heap[up]
        if times[other] < times[p] or (times[other] == times[p] and other < p):
            break
        heap[at] = other
        place[other] = at
        at = up
    heap[at] = p
    place[p] = at


@inlined
def entered(times, heap, place, size, number):
    """Put a number in, or move it up where it waits already and its time became less. Returns how many wait."""
    if place[number] >= 0:
        risen(times, heap, place, place[number])
        return size
    heap[size] = number
    risen(times, heap, place, size)
    return size + 1


@inlined
def first_taken(times, heap, place, size):
    """Take the first entry out. Returns how many are left."""
    size -= 1
    place[heap[0]] = -1
    p = heap[size]
    at = 0
    while True:
        child = 4 * at + 1
        if child >= size:
            break
        best = child
        for other in range(child + 1, min(child + 4, size)):
            a, b = heap[other], heap[best]
            if times[a] < times[b] or (times[a] == times[b] and a < b):
                best = other
        q = heap[best]
        if times[p] < times[q] or (times[p] == times[q] and p < q):
            break
        heap[at] = q
        place[q] = at
        at = best
    if size > 0:
        heap[at] = p
        place[p] = at
    return size
