"""Reading the lines of an OBJ file's text: counted first, then filled into arrays of that size.

The text is a uint8 array and is read in stretches of whole lines, so that callers can report progress between them.
"""

import numpy as np

from estompe.kernels.compile import inlined, inner, kernel

# What a stretch adds to the counts, and where the cursor stands; positions in the `state` array.
POINTS, UVS, NORMALS, FACES, CORNERS, LINES, GROUPS, COLORED, ERROR_LINE, ERROR, SKIPPED = range(11)
STATE_SIZE = 11
BAD_NUMBER, BAD_INDEX = 1, 2

_NEWLINE, _RETURN, _SPACE, _TAB, _SLASH, _MINUS, _PLUS, _DOT, _HASH = 10, 13, 32, 9, 47, 45, 43, 46, 35
# More digits than a double holds only scale the number.
_MOST_DIGITS = 18
_V, _T, _N, _F, _O, _G, _E, _CAPITAL_E, _ZERO, _NINE = 118, 116, 110, 102, 111, 103, 101, 69, 48, 57


@inlined
def _blank(c):
    return c == _SPACE or c == _TAB or c == _RETURN


@inlined
def _skip_blanks(text, i, end):
    while i < end and _blank(text[i]):
        i += 1
    return i


@inlined
def _line_end(text, i, end):
    while i < end and text[i] != _NEWLINE:
        i += 1
    return i


@inlined
def _digit(c):
    return c >= _ZERO and c <= _NINE


@kernel
def _number(text, i, end):
    """A decimal number from i on: its value, where it ends, and whether it was one. Words such as nan give NaN."""
    start = i
    negative = False
    if i < end and (text[i] == _MINUS or text[i] == _PLUS):
        negative = text[i] == _MINUS
        i += 1
    mantissa = 0.0
    digits = 0
    significant = 0
    scale = 0
    while i < end and _digit(text[i]):
        if significant < _MOST_DIGITS:
            mantissa = mantissa * 10.0 + (text[i] - _ZERO)
        else:
            scale += 1
        significant += 1 if mantissa > 0.0 else 0
        digits += 1
        i += 1
    if i < end and text[i] == _DOT:
        i += 1
        while i < end and _digit(text[i]):
            if significant < _MOST_DIGITS:
                mantissa = mantissa * 10.0 + (text[i] - _ZERO)
                scale -= 1
            significant += 1 if mantissa > 0.0 else 0
            digits += 1
            i += 1
    if digits == 0:
        while i < end and not _blank(text[i]):
            i += 1
        return np.nan, i, i > start
    if i < end and (text[i] == _E or text[i] == _CAPITAL_E):
        i += 1
        below = i < end and text[i] == _MINUS
        if below or (i < end and text[i] == _PLUS):
            i += 1
        exponent = 0
        first = i
        while i < end and _digit(text[i]):
            exponent = min(exponent * 10 + np.int64(text[i] - _ZERO), 9999)
            i += 1
        if i == first:
            return np.nan, i, False
        scale += -exponent if below else exponent
    value = mantissa * 10.0**scale if scale >= 0 else mantissa / 10.0**-scale
    return -value if negative else value, i, i >= end or _blank(text[i]) or text[i] == _HASH


@inlined
def _integer(text, i, end):
    """A whole number from i on: its value (0 if there is none) and where it ends."""
    negative = i < end and text[i] == _MINUS
    if negative or (i < end and text[i] == _PLUS):
        i += 1
    value = np.int64(0)
    while i < end and _digit(text[i]):
        value = min(value * 10 + np.int64(text[i] - _ZERO), np.int64(1) << 40)
        i += 1
    return -value if negative else value, i


@inlined
def _corners(text, i, end):
    count = 0
    i = _skip_blanks(text, i, end)
    while i < end and text[i] != _HASH:
        count += 1
        while i < end and not _blank(text[i]):
            i += 1
        i = _skip_blanks(text, i, end)
    return count


@kernel
def count(text, begin, end, state):
    """Add what the lines of a stretch hold to the counts in state, int64 (STATE_SIZE,)."""
    i = begin
    while i < end:
        stop = _line_end(text, i, end)
        i = _skip_blanks(text, i, stop)
        if i + 1 < stop:
            first = text[i]
            second = text[i + 1]
            if first == _V and _blank(second):
                state[POINTS] += 1
            elif first == _V and second == _T:
                state[UVS] += 1
            elif first == _V and second == _N:
                state[NORMALS] += 1
            elif first == _F and _blank(second):
                state[FACES] += 1
                state[CORNERS] += _corners(text, i + 1, stop)
            elif (first == _O or first == _G) and _blank(second):
                state[GROUPS] += 1
        state[LINES] += 1
        i = stop + 1


@inlined
def _fail(state, error):
    if state[ERROR] == 0:
        state[ERROR] = error
        state[ERROR_LINE] = state[LINES] + 1


@inner
def _point(text, i, end, points, colors, state):
    row = state[POINTS]
    for k in range(6):
        i = _skip_blanks(text, i, end)
        if i >= end or text[i] == _HASH:
            if k < 3:
                _fail(state, BAD_NUMBER)
            break
        value, i, good = _number(text, i, end)
        if not good or not np.isfinite(value):
            _fail(state, BAD_NUMBER)
        if k < 3:
            points[row, k] = value
        else:
            colors[row, k - 3] = value
        if k == 5:
            state[COLORED] += 1
    state[POINTS] += 1


@kernel
def _row(text, i, end, values, state, which):
    """Numbers into the next row of an array; what is missing stays 0. Normals that are none are no reason to refuse the rest."""
    row = state[which]
    for k in range(values.shape[1]):
        i = _skip_blanks(text, i, end)
        if i < end and text[i] != _HASH:
            value, i, good = _number(text, i, end)
            if which != NORMALS and (not good or not np.isfinite(value)):
                _fail(state, BAD_NUMBER)
            values[row, k] = value
    state[which] += 1


@inlined
def _absolute(index, there):
    """An OBJ index, from 1 or backwards from the last, as one from 0; -1 if it is neither."""
    return index - 1 if index > 0 else (there + index if index < 0 else np.int64(-1))


@inlined
def _further(text, i, end, there, everything):
    """What follows a slash: an index, -1 for a wrong one and -2 where none is named; and where it ends."""
    found = np.int64(-2)
    if i < end and text[i] == _SLASH:
        value, i = _integer(text, i + 1, end)
        if value != 0:
            found = _absolute(value, there)
            if found < 0 or found >= everything:
                found = np.int64(-1)
    return found, i


@inner
def _face(text, i, end, corners, corner_uvs, corner_normals, offsets, state, all_points, all_uvs, all_normals):
    first = state[CORNERS]
    i = _skip_blanks(text, i, end)
    while i < end and text[i] != _HASH:
        value, i = _integer(text, i, end)
        point = _absolute(value, state[POINTS])
        if point < 0 or point >= all_points:
            _fail(state, BAD_INDEX)
            point = np.int64(0)
        uv, i = _further(text, i, end, state[UVS], all_uvs)
        if uv == -1:
            _fail(state, BAD_INDEX)
        normal, i = _further(text, i, end, state[NORMALS], all_normals)
        if i < end and not _blank(text[i]) and text[i] != _HASH:
            _fail(state, BAD_INDEX)
        while i < end and not _blank(text[i]):
            i += 1
        corners[state[CORNERS]] = point
        corner_uvs[state[CORNERS]] = max(uv, -1)
        corner_normals[state[CORNERS]] = max(normal, -1)
        state[CORNERS] += 1
        i = _skip_blanks(text, i, end)
    if state[CORNERS] - first < 3:
        # Lines written as faces are common: they are nothing to deform, and no reason to refuse the rest.
        state[CORNERS] = first
        state[SKIPPED] += 1
        return
    state[FACES] += 1
    offsets[state[FACES]] = state[CORNERS]


@kernel
def fill(text, begin, end, state, points, colors, uvs, normals, corners, corner_uvs, corner_normals, offsets, groups):
    """Read a stretch into arrays of the counted sizes; state counts on from stretch to stretch.

    points, colors: float32 (n, 3); uvs: float32 (k, 2); normals: float32 (j, 3); corners, corner_uvs, corner_normals: int32
    (m,), -1 without a UV or normal; offsets: int32 (faces + 1,); groups: int64 (g, 2), the first face of each group and where
    its name begins. The first error and its line stand in state.
    """
    i = begin
    while i < end:
        stop = _line_end(text, i, end)
        i = _skip_blanks(text, i, stop)
        if i + 1 < stop:
            first = text[i]
            second = text[i + 1]
            if first == _V and _blank(second):
                _point(text, i + 1, stop, points, colors, state)
            elif first == _V and second == _T:
                _row(text, i + 2, stop, uvs, state, UVS)
            elif first == _V and second == _N:
                _row(text, i + 2, stop, normals, state, NORMALS)
            elif first == _F and _blank(second):
                _face(text, i + 1, stop, corners, corner_uvs, corner_normals, offsets, state,
                      points.shape[0], uvs.shape[0], normals.shape[0])  # fmt: skip
            elif (first == _O or first == _G) and _blank(second):
                groups[state[GROUPS], 0] = state[FACES]
                groups[state[GROUPS], 1] = i + 2
                state[GROUPS] += 1
        state[LINES] += 1
        i = stop + 1
