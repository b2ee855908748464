"""The letters that are drawn into pictures."""

from importlib import resources

from PIL import ImageFont


def font_in(height: int) -> ImageFont.FreeTypeFont:
    """The font for a strip of a height, in pixels."""
    with resources.as_file(resources.files("estompe.app") / "fonts" / "Inter-Medium.otf") as file:
        return ImageFont.truetype(str(file), round(height * 0.62))
