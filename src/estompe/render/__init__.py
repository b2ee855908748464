"""A frame and a viewpoint in, a picture out; no window needed."""

from estompe.render.item import Item, Look
from estompe.render.renderer import Renderer
from estompe.render.targets import RenderError
from estompe.render.viewpoint import Viewpoint

__all__ = ["Item", "Look", "RenderError", "Renderer", "Viewpoint"]
