"""Frames as a looping video: WebM and MP4 through PyAV, GIF and WebP through Pillow."""

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from PIL import Image

#: Called before each frame; raises to stop.
Tick = Callable[[], None]


def encode(kind: str, frames: Sequence[Path], fps: int, transparent: bool, out: Path, tick: Tick) -> None:
    """Encode PNG frames to `out`. GIF knows alpha as on or off; MP4 has none."""
    if kind in ("webm", "mp4"):
        _film(kind, frames, fps, transparent, out, tick)
    else:
        _animation(kind, frames, fps, transparent, out, tick)


def _film(kind: str, frames: Sequence[Path], fps: int, transparent: bool, out: Path, tick: Tick) -> None:
    with av.open(str(out), "w", format=kind) as container:
        if kind == "webm":
            stream = container.add_stream("libvpx-vp9", rate=fps)
            stream.pix_fmt = "yuva420p" if transparent else "yuv420p"
            stream.options = {"crf": "18", "b:v": "0", "deadline": "good", "cpu-used": "4", "row-mt": "1"}
        else:
            stream = container.add_stream("libx264", rate=fps)
            stream.pix_fmt = "yuv420p"
            stream.options = {"crf": "16", "preset": "medium"}
        first = Image.open(frames[0])
        # 4:2:0 chroma wants even sides.
        stream.width, stream.height = first.width - first.width % 2, first.height - first.height % 2
        stream.time_base = Fraction(1, fps)
        for path in frames:
            tick()
            with Image.open(path) as image:
                pixels = np.asarray(image.convert("RGBA"))[: stream.height, : stream.width]
            picture = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="rgba")
            container.mux(stream.encode(picture.reformat(format=stream.pix_fmt)))
        container.mux(stream.encode())


def _animation(kind: str, frames: Sequence[Path], fps: int, transparent: bool, out: Path, tick: Tick) -> None:
    def opened() -> list[Image.Image]:
        images = []
        for path in frames:
            tick()
            with Image.open(path) as image:
                images.append(image.convert("RGBA" if transparent else "RGB"))
        return images

    images = opened()
    # Whole milliseconds, spread so that the turn keeps its length; GIF counts in hundredths.
    unit = 10 if kind == "gif" else 1
    ends = [round((i + 1) * 1000 / fps / unit) * unit for i in range(len(images))]
    lasting = [max(unit * (2 if kind == "gif" else 1), b - a) for a, b in zip([0, *ends], ends, strict=False)]
    if kind == "gif":
        images = [i if transparent else i.quantize(256, dither=Image.Dither.FLOYDSTEINBERG) for i in images]
        images[0].save(
            out, "GIF", save_all=True, append_images=images[1:], duration=lasting, loop=0, disposal=2 * transparent
        )
    else:
        images[0].save(
            out, "WEBP", save_all=True, append_images=images[1:], duration=lasting, loop=0, quality=88, method=2
        )
