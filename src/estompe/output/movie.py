"""A shot as a movie: MP4 with H.264, or WebM with VP9, with frame numbers and the scene's name burnt in if they are wanted."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image as Bitmap
from PIL import ImageDraw

from estompe.baking.frames import check_folder, check_frames
from estompe.baking.manifest import only_run
from estompe.baking.states import past_of
from estompe.document.project import Project
from estompe.evaluation.time.past import Past
from estompe.files.atomic import written_whole
from estompe.files.progress import ExchangeError, Progress
from estompe.importing.reads import check_not_read
from estompe.output.estimate import Estimate
from estompe.output.lettering import font_in
from estompe.output.painter import Painter, Settings
from estompe.output.picture_files import bytes_of, exact_rate
from estompe.render.item import GROUND

_BT709, _LIMITED = 1, 1
"""Matrix, primaries and transfer of ITU-R BT.709, and the range of broadcast, by the numbers of ITU-T H.273 and the encoders."""
_CODECS: dict[str, tuple[str, dict[str, str]]] = {
    ".mp4": ("libx264", {"crf": "17", "preset": "medium"}),
    ".webm": ("libvpx-vp9", {"crf": "28", "b": "0", "cpu-used": "4", "row-mt": "1"}),
}
ENDINGS = tuple(_CODECS)
Pixels = NDArray[np.uint8]


def write(
    project: Project,
    first: int,
    last: int,
    path: Path,
    settings: Settings,
    progress: Progress = lambda _fraction, _text: None,
    past: Past | None = None,
    burnt_in: str = "",
) -> None:
    """Draw frames into a movie, whole or not at all.

    burnt_in: words that stand in each picture with the frame's number; none if it is empty. `progress` may raise to cancel.
    Raises ExchangeError, and RenderError where nothing can be drawn.
    """
    if path.suffix.lower() not in _CODECS:
        raise ExchangeError(f"{path}: a movie ends in {' or '.join(_CODECS)}")
    check_frames(first, last)
    check_folder(path)
    check_not_read(project, [path])
    if settings.size[0] % 2 or settings.size[1] % 2:
        raise ExchangeError(f"{settings.size[0]}x{settings.size[1]}: a movie's width and height must be even")
    check_encoder(path)
    settings = settings._replace(background=settings.background or GROUND, layers=())
    past = past_of(project) if past is None else past
    label = _label(settings.size, burnt_in) if burnt_in else _unlabelled
    try:
        with only_run(path), written_whole(path) as part, Painter(project, settings, past) as painter:
            left = Estimate(last - first + 1)
            with Encoder(part, path.suffix.lower(), settings.size, project.scene.frames_per_second) as encoder:
                for number in range(first, last + 1):
                    done = (number - first) / (last - first + 1)
                    words = f"frame {number} of {first}–{last}{left.words}"
                    progress(done, words)
                    painted = painter.paint(number, lambda done=done, words=words: progress(done, words))  # type: ignore[misc]
                    encoder.add(label(bytes_of(painted)[..., :3], number))
                    left.step()
    except OSError as error:
        raise ExchangeError(f"{path}: cannot be written ({error.strerror or error})") from None
    progress(1.0, "done")


def check_encoder(path: Path) -> None:
    """Raise ExchangeError where the encoder for a file is not there."""
    import av

    name = _CODECS[path.suffix.lower()][0]
    if name not in av.codecs_available:
        raise ExchangeError(
            f"{path}: the encoder {name} is not there: install the package “av” from its wheels, or write pictures"
        )


class Encoder:
    """Encodes pictures into a file."""

    def __init__(self, part: Path, ending: str, size: tuple[int, int], rate: float) -> None:
        import av

        name, options = _CODECS[ending]
        more = {"movflags": "+faststart"} if ending == ".mp4" else {}
        self._file = av.open(str(part), "w", format=ending[1:], options=more)
        fraction = exact_rate(rate)
        self._stream: Any = self._file.add_stream(name, rate=fraction, options=options)
        self._stream.width, self._stream.height = size
        self._stream.pix_fmt = "yuv420p"
        context = self._stream.codec_context
        context.color_range, context.colorspace = _LIMITED, _BT709
        context.color_primaries = context.color_trc = _BT709
        context.gop_size = max(1, round(fraction))
        self._converter = av.video.reformatter.VideoReformatter()

    def __enter__(self) -> "Encoder":
        return self

    def add(self, picture: Pixels) -> None:
        """Encode a picture, uint8 (h, w, 3)."""
        import av

        frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="rgb24")
        converted = self._converter.reformat(
            frame, format="yuv420p", dst_colorspace="ITU709", src_color_range="JPEG", dst_color_range="MPEG"
        )
        for packet in self._stream.encode(converted):
            self._file.mux(packet)

    def __exit__(self, kind: Any, _error: Any, _trace: Any) -> None:
        if kind is None:
            for packet in self._stream.encode():
                self._file.mux(packet)
        self._file.close()


def _unlabelled(picture: Pixels, _number: int) -> Pixels:
    return picture


def _label(size: tuple[int, int], words: str) -> Callable[[Pixels, int], Pixels]:
    """What burns words and the frame's number into the foot of pictures of a size."""
    height = max(12, round(size[1] / 24))
    font = font_in(height)

    def burn(picture: Pixels, number: int) -> Pixels:
        image = Bitmap.fromarray(np.ascontiguousarray(picture))
        draw = ImageDraw.Draw(image, "RGBA")
        draw.rectangle((0, size[1] - height, size[0], size[1]), fill=(31, 28, 24, 170))
        middle = size[1] - height / 2
        draw.text((height * 0.5, middle), words, font=font, fill=(245, 240, 230, 255), anchor="lm")
        draw.text((size[0] - height * 0.5, middle), str(number), font=font, fill=(245, 240, 230, 255), anchor="rm")
        return np.asarray(image)

    return burn
