"""A frame and a viewpoint in, a picture out; no window needed."""

from estompe.render.renderer import Item, Look, Renderer, RenderError
from estompe.render.viewpoint import Viewpoint

__all__ = ["Item", "Look", "RenderError", "Renderer", "Viewpoint"]
