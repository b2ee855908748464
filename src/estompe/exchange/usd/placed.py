"""Cameras and controls over time: where they are, and what a camera's lens is."""

import math
from typing import Any

import numpy as np

from estompe.document.names import clean_name
from estompe.document.scene import Camera, Control
from estompe.document.transforms import eye_of, matrix_of
from estompe.exchange.usd.samples import TimeSamples

_FILM_HEIGHT = 24.0  # millimetres; only its relation to the focal length matters
_NO_FILM = 16 / 9


class CameraWriter:
    """Writes a camera, whether it follows a file or not."""

    def __init__(self, stage: Any, path: str) -> None:
        from pxr import UsdGeom

        self._camera = UsdGeom.Camera.Define(stage, path)
        self._matrix = self._camera.AddTransformOp()
        self._named = False
        self._samples = TimeSamples()

    def add(self, camera: Camera, number: float) -> None:
        """Write where a resolved camera is on a frame, and its lens."""
        from pxr import Gf

        if not self._named:
            self._named = True
            self._camera.GetPrim().SetDisplayName(clean_name(camera.name))
        eye = eye_of(camera)
        up = (0.0, 1.0, 0.0) if eye.up is None else eye.up.tolist()
        look = Gf.Matrix4d(1).SetLookAt(Gf.Vec3d(*eye.position.tolist()), Gf.Vec3d(*eye.target.tolist()), Gf.Vec3d(*up))
        self._samples.follow("matrix", look.GetInverse(), number, self._matrix, _as_it_is, _same)
        made = self._camera
        made.CreateVerticalApertureAttr(_FILM_HEIGHT)
        made.CreateHorizontalApertureAttr(_FILM_HEIGHT * (eye.aspect or _NO_FILM))
        across, above = (_FILM_HEIGHT / 2 * side for side in eye.offset)
        made.CreateHorizontalApertureOffsetAttr(across)
        made.CreateVerticalApertureOffsetAttr(above)
        if eye.clipping is not None:
            made.CreateClippingRangeAttr(Gf.Vec2f(*eye.clipping))
        focal = _FILM_HEIGHT / 2 / math.tan(math.radians(eye.view_angle) / 2)
        self._samples.follow("focal", focal, number, made.CreateFocalLengthAttr(), _as_it_is, _same)


class ControlWriter:
    """Writes a control as a transform; its form is kept beside it."""

    def __init__(self, stage: Any, control: Control, path: str) -> None:
        from pxr import Sdf, UsdGeom

        made = UsdGeom.Xform.Define(stage, path)
        made.GetPrim().SetDisplayName(clean_name(control.name))
        made.GetPrim().CreateAttribute("form", Sdf.ValueTypeNames.Token, custom=True).Set(control.form)
        self._matrix = made.AddTransformOp()
        self._samples = TimeSamples()

    def add(self, control: Control, number: float) -> None:
        """Write where a resolved control is on a frame."""
        from pxr import Gf

        matrix = np.eye(4)
        matrix[:3] = matrix_of(control.transform)
        placed = Gf.Matrix4d(*matrix.T.reshape(-1).tolist())
        self._samples.follow("matrix", placed, number, self._matrix, _as_it_is, _same)


def _as_it_is(value: Any) -> Any:
    return value


def _same(a: Any, b: Any) -> bool:
    return bool(a == b)
