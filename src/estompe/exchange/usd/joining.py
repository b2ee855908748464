"""Several USD layers of consecutive frames as the one layer that a single run would have written.

Each value of each frame is taken out of its layer and said again in the order of frames, by the rules that the writers follow;
so what stays the same from one layer to the next is written once.
"""

from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np

from estompe.exchange.usd.samples import TimeSamples, Velocities
from estompe.importing.errors import ExchangeError, Progress

_CHANGES_WITH_NEIGHBOURS = "velocities"


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
    from pxr import Sdf, Tf

    try:
        target_layer = Sdf.Layer.CreateNew(str(target))
        joining = _Joining(target_layer, per_frame)
        for index, part in enumerate(parts):
            progress(index / len(parts), f"joining frames {part.first}–{part.last}")
            layer = Sdf.Layer.OpenAsAnonymous(str(part.path))
            if layer is None:
                raise ExchangeError(f"{part.path}: cannot be read back")
            joining.add(layer, part)
        joining.finish(parts[0].first, parts[-1].last, sublayers)
        target_layer.Save()
    except Tf.ErrorException as error:
        raise ExchangeError(f"{target}: cannot be joined ({str(error).splitlines()[-1]})") from None


class _Joining:
    """One layer that grows by others."""

    def __init__(self, layer: Any, per_frame: float) -> None:
        self._layer, self._per_frame = layer, per_frame
        self._samples = TimeSamples()
        self._velocities: dict[str, Velocities] = {}
        self._started = False

    def add(self, layer: Any, part: LayerPart) -> None:
        """Say everything of a part's layer."""
        if not self._started:
            self._layer.TransferContent(layer)
            self._clear_below("/")
            self._started = True
        attributes: list[Any] = []
        layer.Traverse("/", lambda path: attributes.append(path) if path.IsPropertyPath() else None)
        for path in attributes:
            self._take_in(layer, path)
        found = [path for path in attributes if layer.GetAttributeAtPath(path)]
        for number in range(part.first, part.last + 1):
            for path in found:
                self._say(layer, path, number * self._per_frame)

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

    def _say(self, layer: Any, path: Any, time: float) -> None:
        """Say a property's value at a time as the writers would have."""
        key, name = str(path), path.name
        into = _Attribute(self._layer, path)
        times = layer.ListTimeSamplesForPath(path)
        if name == _CHANGES_WITH_NEIGHBOURS:
            self._move(layer, path, time)
        elif layer.GetAttributeAtPath(path).HasDefaultValue():
            value = _at(layer, path, time) if times else layer.GetAttributeAtPath(path).default
            self._samples.steady(key, object(), value, time, into)
        elif times and time >= times[0]:
            self._samples.follow(key, _at(layer, path, time), time, into, _as_it_is, _same)

    def _move(self, layer: Any, path: Any, time: float) -> None:
        """Velocities, from where copies are on the frames around."""
        prim = path.GetPrimPath()
        places = prim.AppendProperty("positions")
        if not layer.ListTimeSamplesForPath(places):
            return
        ids = prim.AppendProperty("ids")
        known = layer.GetAttributeAtPath(ids)
        numbers = _at(layer, ids, time) if layer.ListTimeSamplesForPath(ids) else known.default if known else None
        positions = np.asarray(_at(layer, places, time), np.float32)
        key = str(path)
        if key not in self._velocities:
            self._velocities[key] = Velocities(_Attribute(self._layer, path), layer.timeCodesPerSecond)
        marks = np.arange(len(positions)) if numbers is None else np.asarray(numbers)
        self._velocities[key].add(time, positions, marks)

    def finish(self, first: int, last: int, sublayers: Sequence[str] | None) -> None:
        """Say what waited for the frame after it, and which frames there are."""
        for velocities in self._velocities.values():
            velocities.finish()
        self._layer.startTimeCode, self._layer.endTimeCode = first * self._per_frame, last * self._per_frame
        if sublayers is not None:
            self._layer.subLayerPaths = list(sublayers)


class _Attribute:
    """An attribute of a layer, set as one of a stage is."""

    def __init__(self, layer: Any, path: Any) -> None:
        self._layer, self._path = layer, path

    def Set(self, value: Any, time: float | None = None) -> None:
        if time is None:
            self._layer.GetAttributeAtPath(self._path).default = value
        else:
            self._layer.SetTimeSample(self._path, float(time), value)


def _at(layer: Any, path: Any, time: float) -> Any:
    """The value at a time, held from the sample before it: standstills are written at both ends, so nothing is blended."""
    found, lower, _ = layer.GetBracketingTimeSamplesForPath(path, time)
    return layer.QueryTimeSample(path, lower) if found else None


def _as_it_is(value: Any) -> Any:
    return value


def _same(a: Any, b: Any) -> bool:
    return bool(a == b)
