"""Several USD layers of consecutive frames as the one layer that a single run would have written.

Each value of each frame is taken out of its layer and said again in the order of frames, by the rules that the writers follow;
so what stays the same from one layer to the next is written once.
"""

from bisect import bisect_right
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from estompe.exchange.usd.samples import TimeSamples, Velocities
from estompe.files.progress import ExchangeError, Progress

_CHANGES_WITH_NEIGHBOURS = "velocities"
_MOST_PENDING = 512 * 2**20
"""Bytes of parts after which what was joined is written to the disk."""


class LayerPart(NamedTuple):
    """A layer of the frames from one to another."""

    path: Path
    first: int
    last: int


def join_layers(
    parts: Sequence[LayerPart],
    target: Path,
    per_frame: float,
    sublayers: Sequence[str] | None,
    progress: Progress = lambda _fraction, _text: None,
) -> None:
    """Write the layer that parts make together. The target must not be there.

    per_frame: time codes a frame; sublayers: what the target goes over, seen from there, None for what the parts say. Raises
    ExchangeError.
    """
    joining = Joining(target, per_frame, sublayers)
    for index, part in enumerate(parts):
        progress(index / len(parts), f"joining frames {part.first}–{part.last}")
        joining.add(part)
    joining.finish()


class Joining:
    """One layer that grows by others, in the order of their frames. The target must not be there.

    per_frame, sublayers: as `join_layers` has them.
    """

    def __init__(self, target: Path, per_frame: float, sublayers: Sequence[str] | None) -> None:
        self._target, self._per_frame, self._sublayers = target, per_frame, sublayers
        self._layer: Any = None
        self._samples = TimeSamples()
        self._velocities: dict[str, Velocities] = {}
        self._first, self._last = 0, -1
        self._text, self._pending = target.suffix == ".usda", 0

    def add(self, part: LayerPart) -> None:
        """Say everything of a part's layer, of frames that follow those before. Raises ExchangeError."""
        from pxr import Sdf, Tf

        try:
            layer = Sdf.Layer.OpenAsAnonymous(str(part.path))
            if layer is None:
                raise ExchangeError(f"{part.path}: cannot be read back")
            if self._layer is None:
                self._begin(layer, part)
            self._take_over(layer, part)
            self._last = part.last
            self._save_now_and_then(part.path.stat().st_size)
        except Tf.ErrorException as error:
            raise self._cannot(error) from None

    def finish(self) -> None:
        """Say what waited for the frame after it, and which frames there are. Raises ExchangeError."""
        from pxr import Tf

        try:
            for velocities in self._velocities.values():
                velocities.finish()
            start, end = self._first * self._per_frame, self._last * self._per_frame
            if self._sublayers is not None:
                # The first part of an over has the range of the stage that it goes over.
                start, end = min(self._layer.startTimeCode, start), max(self._layer.endTimeCode, end)
            self._layer.startTimeCode, self._layer.endTimeCode = start, end
            if self._sublayers is not None:
                self._layer.subLayerPaths = list(self._sublayers)
            self._layer.Save()
        except Tf.ErrorException as error:
            raise self._cannot(error) from None

    def _cannot(self, error: Exception) -> ExchangeError:
        return ExchangeError(f"{self._target}: cannot be joined ({str(error).splitlines()[-1]})")

    def _begin(self, layer: Any, part: LayerPart) -> None:
        from pxr import Sdf

        self._first = part.first
        self._layer = Sdf.Layer.CreateNew(str(self._target))
        self._layer.TransferContent(layer)
        self._clear_below("/")

    def _save_now_and_then(self, size: int) -> None:
        self._pending += size
        if self._pending > _MOST_PENDING and not self._text:
            # What is saved need not be held; text would be written again from the start each time.
            self._layer.Save()
            self._pending = 0

    def _take_over(self, layer: Any, part: LayerPart) -> None:
        properties: list[Any] = []
        layer.Traverse("/", lambda path: properties.append(path) if path.IsPropertyPath() else None)
        for path in properties:
            self._take_in(layer, path)
        told = [_Told(layer, self._layer, path) for path in properties if layer.GetAttributeAtPath(path)]
        for number in range(part.first, part.last + 1):
            for attribute in told:
                self._say(attribute, number * self._per_frame)

    def _take_in(self, layer: Any, path: Any) -> None:
        """A property that was not in the parts before, without its values."""
        from pxr import Sdf

        if self._layer.GetObjectAtPath(path):
            return
        prim = path.GetPrimPath()
        missing = [above for above in prim.GetPrefixes() if not self._layer.GetPrimAtPath(above)]
        if missing:
            Sdf.CopySpec(layer, missing[0], self._layer, missing[0])
            self._clear_below(missing[0])
            return
        Sdf.CopySpec(layer, path, self._layer, path)
        self._clear_below(path)

    def _clear_below(self, root: Any) -> None:
        """Leave only what there is, and no values: they are said frame by frame."""
        paths: list[Any] = []
        self._layer.Traverse(root, lambda path: paths.append(path) if path.IsPropertyPath() else None)
        for path in paths:
            attribute = self._layer.GetAttributeAtPath(path)
            if attribute:
                attribute.ClearDefaultValue()
                for time in self._layer.ListTimeSamplesForPath(path):
                    self._layer.EraseTimeSample(path, time)

    def _say(self, told: "_Told", time: float) -> None:
        """Say a property's value at a time as the writers would have."""
        if told.path.name == _CHANGES_WITH_NEIGHBOURS:
            self._move(told, time)
        elif told.steady:
            held = told.at(time)
            self._samples.steady(told.key, held, held.get, time, told.into)
        elif told.times and time >= told.times[0]:
            self._samples.follow(told.key, told.at(time).get(), time, told.into)

    def _move(self, told: "_Told", time: float) -> None:
        """Velocities, from where copies are on the frames around."""
        prim = told.path.GetPrimPath()
        places, ids = (told.beside(prim.AppendProperty(name)) for name in ("positions", "ids"))
        if not places.times:
            return
        numbers = ids.at(time).get() if ids.times or ids.steady else None
        positions = np.asarray(places.at(time).get(), np.float32)
        if told.key not in self._velocities:
            self._velocities[told.key] = Velocities(told.into, told.per_second)
        marks = np.arange(len(positions)) if numbers is None else np.asarray(numbers)
        self._velocities[told.key].add(time, positions, marks)


class _Held:
    """A value that holds from one time on, read when it is asked for, once."""

    def __init__(self, layer: Any, path: Any, time: float | None) -> None:
        self._layer, self._path, self._time = layer, path, time
        self._value: Any = None
        self._read = False

    def get(self) -> Any:
        if not self._read:
            self._read = True
            if self._time is None:
                attribute = self._layer.GetAttributeAtPath(self._path)
                self._value = attribute.default if attribute else None
            else:
                self._value = self._layer.QueryTimeSample(self._path, self._time)
        return self._value


class _Told:
    """What a layer says of an attribute, and where that goes.

    times: of its samples; steady: whether it also has a value without a time; into: where values are set.
    """

    def __init__(self, layer: Any, into: Any, path: Any) -> None:
        self.path, self.key, self.into = path, str(path), _Attribute(into, path)
        self._layer, self._into = layer, into
        attribute = layer.GetAttributeAtPath(path)
        self.times: list[float] = list(layer.ListTimeSamplesForPath(path)) if attribute else []
        self.steady = bool(attribute) and attribute.HasDefaultValue()
        self._held: dict[float | None, _Held] = {}
        self._beside: dict[str, _Told] = {}

    @property
    def per_second(self) -> float:
        """Time codes a second."""
        return float(self._layer.timeCodesPerSecond)

    def at(self, time: float) -> _Held:
        """What holds at a time, from the sample before it: standstills are written at both ends, so nothing is blended."""
        after = bisect_right(self.times, time)
        since = self.times[max(after - 1, 0)] if self.times else None
        if since not in self._held:
            self._held = {since: _Held(self._layer, self.path, since)}
        return self._held[since]

    def beside(self, path: Any) -> "_Told":
        """What is said of another attribute."""
        key = str(path)
        if key not in self._beside:
            self._beside[key] = _Told(self._layer, self._into, path)
        return self._beside[key]


class _Attribute:
    """An attribute of a layer, set as one of a stage is."""

    def __init__(self, layer: Any, path: Any) -> None:
        self._layer, self._path = layer, path

    def Set(self, value: Any, time: float | None = None) -> None:
        if time is None:
            self._layer.GetAttributeAtPath(self._path).default = value
        else:
            self._layer.SetTimeSample(self._path, float(time), value)
