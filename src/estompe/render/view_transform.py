"""ViewTransform transforms: from the linear light of a scene to what a display shows, by the curve of sRGB or by OpenColorIO.

The configuration is the one that `$OCIO` names, else a built-in one of ACES. Its library is loaded with the first use of it.
"""

import os
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np

from estompe.geometry.colors import display_of
from estompe.kernels.types import Floats

_BUILT_IN = "cg-config-v4.0.0_aces-v2.0_ocio-v2.5"
_LIGHT = "lin_rec709"
"""The working space by its name in built-in configurations."""
NODES = 65
"""Nodes of a table to each side."""
DARKEST, BRIGHTEST = -8.0, 8.0
"""The light that a table spans, stops from 1; 2 ** DARKEST is added, so that it begins at black."""
LARGEST_EXPOSURE = 10.0


class ViewError(ValueError):
    """A view that there is not, or a configuration that cannot be read; the text says which there are."""


class ViewTransform(NamedTuple):
    """How light is shown. name: "" for the curve of sRGB, else "DISPLAY/VIEW"; exposure: stops; gamma: 1 leaves it as it is."""

    name: str = ""
    exposure: float = 0.0
    gamma: float = 1.0

    @property
    def words(self) -> str:
        """In a few words."""
        parts = [self.name.partition("/")[2].split(" - ")[0] or "sRGB"]
        if self.exposure:
            parts.append(f"{self.exposure:+g} EV".replace("-", "−"))
        if self.gamma != 1.0:
            parts.append(f"gamma {self.gamma:g}")
        return " ".join(parts)


PLAIN = ViewTransform()


def view_names() -> list[str]:
    """All views of the configuration as "DISPLAY/VIEW". Raises ViewError."""
    config = _config()
    return [f"{display}/{view}" for display in config.getDisplays() for view in config.getViews(display)]


def shown(light: Floats, view: ViewTransform = PLAIN) -> Floats:
    """Display values of linear light.

    Parameters
    ----------
    light : float32 (..., 3)
        Linear light with the primaries of BT.709.
    view : ViewTransform
        How it is shown.

    Returns
    -------
    float32 (..., 3)
        Display values, 0..1.

    Raises
    ------
    ViewError
        For a view that there is not.
    """
    exposed = np.array(light * np.float32(2.0**view.exposure), np.float32, order="C")
    if view.name:
        _processor(view.name, os.environ.get("OCIO", "")).applyRGB(exposed.reshape(-1, 3))
    values = exposed if view.name else display_of(exposed)
    values = np.clip(np.nan_to_num(values), 0.0, 1.0)
    return np.asarray(values if view.gamma == 1.0 else values ** (1.0 / view.gamma), np.float32)


@lru_cache(2)
def table(name: str) -> Floats:
    """A view as a table over light: float32 (NODES, NODES, NODES, 3), blue first; the step between nodes is even in stops."""
    stops = np.linspace(DARKEST, BRIGHTEST, NODES)
    light = (2.0**stops - 2.0**DARKEST).astype(np.float32)
    blue, green, red = np.meshgrid(light, light, light, indexing="ij")
    return shown(np.stack([red, green, blue], axis=-1), ViewTransform(name))


@lru_cache(16)
def _processor(name: str, _configuration: str) -> Any:
    import PyOpenColorIO as Ocio

    display, _, view = name.partition("/")
    config = _config()
    if display not in config.getDisplays() or view not in config.getViews(display):
        raise ViewError(f"there is no view “{name}”; there are: {'; '.join(view_names())}")
    try:
        space = _light_space(config)
        transform = Ocio.DisplayViewTransform(src=space, display=display, view=view)
        return config.getProcessor(transform).getDefaultCPUProcessor()
    except Ocio.Exception as error:
        raise ViewError(f"the view “{name}” cannot be used: {' '.join(str(error).split())}") from None


def _light_space(config: Any) -> str:
    """The working space by its name in a configuration."""
    import PyOpenColorIO as Ocio

    known = config.getColorSpace(_LIGHT)
    if known is not None:
        return str(known.getName())
    built_in = Ocio.Config.CreateFromBuiltinConfig(_BUILT_IN)
    return str(Ocio.Config.IdentifyBuiltinColorSpace(config, built_in, _LIGHT))


def _config() -> Any:
    return _read_config(os.environ.get("OCIO", ""))


@lru_cache(2)
def _read_config(name: str) -> Any:
    import PyOpenColorIO as Ocio

    try:
        return Ocio.Config.CreateFromFile(name) if name else Ocio.Config.CreateFromBuiltinConfig(_BUILT_IN)
    except Ocio.Exception as error:
        raise ViewError(f"$OCIO: {name} cannot be read: {' '.join(str(error).split())}") from None
