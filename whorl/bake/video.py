"""Frames as a video: WebM and MP4 through PyAV, GIF and WebP through Pillow, which say whether it loops."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import av
import numpy as np
from PIL import Image

from whorl.effect.document import Turn

#: Called before each frame; raises to stop.
Tick = Callable[[], None]


def encode(
    kind: str,
    frames: Sequence[Path],
    turn: Turn,
    transparent: bool,
    out: Path,
    tick: Tick,
    every: int = 1,
    quality: str = "good",
    said: Mapping[str, str] = {},
) -> None:
    """Encode PNG frames to `out`, of which each is `every` frames of the turn long. GIF knows alpha as on or off, and
    one quality; MP4 has no alpha. What is `said` of it goes along."""
    rate = Fraction(turn.fps, every)
    if kind in ("webm", "mp4"):
        _film(kind, frames, rate, transparent, out, tick, _RATES[kind][quality], said)
    else:
        _animation(kind, frames, rate, turn.looping, transparent, out, tick, _RATES["webp"][quality], said)


#: A description as XMP has it (ISO 16684-1).
_XMP = (
    '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
    '<rdf:Description xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:description>{}</dc:description>'
    "</rdf:Description></rdf:RDF></x:xmpmeta>"
)

#: What encoders take for a quality: constant rate factors, less of which is better, and shares of a hundred.
_RATES = {
    "webm": {"small": 34, "good": 18, "best": 6},
    "mp4": {"small": 28, "good": 16, "best": 4},
    "webp": {"small": 70, "good": 88, "best": 100},
}


def _line(said: Mapping[str, str]) -> str:
    """What a file says of itself, in one line."""
    return f"made by {said['software']} from state {said['state']} of {said['effect']}" if said else ""


def _film(
    kind: str,
    frames: Sequence[Path],
    fps: Fraction,
    transparent: bool,
    out: Path,
    tick: Tick,
    crf: int,
    said: Mapping[str, str],
) -> None:
    # Without what would differ from run to run: dates, random ids, the encoder's name.
    with av.open(str(out), "w", format=kind, options={"fflags": "+bitexact"}) as container:
        if said:
            container.metadata["title"], container.metadata["comment"] = said["effect"], _line(said)
        if kind == "webm":
            stream = container.add_stream("libvpx-vp9", rate=fps)
            stream.pix_fmt = "yuva420p" if transparent else "yuv420p"
            stream.options = {"crf": str(crf), "b:v": "0", "deadline": "good", "cpu-used": "4", "row-mt": "1"}
        else:
            stream = container.add_stream("libx264", rate=fps)
            stream.pix_fmt = "yuv420p"
            stream.options = {"crf": str(crf), "preset": "medium"}
        stream.codec_context.flags |= av.codec.context.Flags.bitexact
        first = Image.open(frames[0])
        # 4:2:0 chroma wants even sides.
        stream.width, stream.height = first.width - first.width % 2, first.height - first.height % 2
        stream.time_base = 1 / fps
        for path in frames:
            tick()
            with Image.open(path) as image:
                pixels = np.asarray(image.convert("RGBA"))[: stream.height, : stream.width]
            picture = av.VideoFrame.from_ndarray(np.ascontiguousarray(pixels), format="rgba")
            container.mux(stream.encode(picture.reformat(format=stream.pix_fmt)))
        container.mux(stream.encode())


class _Frames(Image.Image):
    """Frames on disk as one animated picture; only the one at hand is in memory."""

    def __init__(self, frames: Sequence[Path], mode: str, tick: Tick) -> None:
        super().__init__()
        self.frames, self.wanted, self.tick = frames, mode, tick
        self.n_frames, self.seen = len(frames), -1
        self.seek(0)

    def seek(self, frame: int) -> None:
        """Read a frame. Raises EOFError after the last, as Pillow's pictures do."""
        if frame >= len(self.frames):
            raise EOFError
        if frame == getattr(self, "at", None):
            return
        if frame > self.seen:
            self.seen = frame
            self.tick()
        with Image.open(self.frames[frame]) as image:
            made = image.convert(self.wanted)
        if self.wanted == "RGB":
            self.info = {}
        self.at, self._mode, self._size, self.im = frame, made.mode, made.size, made.im

    def tell(self) -> int:
        """Which frame is at hand."""
        return self.at


def _animation(
    kind: str,
    frames: Sequence[Path],
    rate: Fraction,
    looping: bool,
    transparent: bool,
    out: Path,
    tick: Tick,
    share: int,
    said: Mapping[str, str],
) -> None:
    # Whole milliseconds, spread so that the turn keeps its length; GIF counts in hundredths.
    unit = 10 if kind == "gif" else 1
    ends = [round((i + 1) * 1000 / rate / unit) * unit for i in range(len(frames))]
    lasting = [max(unit * (2 if kind == "gif" else 1), b - a) for a, b in zip([0, *ends], ends, strict=False)]
    if kind == "webp":
        images: Image.Image = _Frames(frames, "RGBA" if transparent else "RGB", tick)
        told = {"xmp": _XMP.format(escape(_line(said))).encode()} if said else {}
        way = {"duration": lasting, "loop": 0 if looping else 1, "quality": share, "method": 2}
        images.save(out, "WEBP", save_all=True, **way, **told)
        return

    def opened() -> Iterator[Image.Image]:
        for path in frames:
            tick()
            with Image.open(path) as image:
                made = image.convert("RGBA" if transparent else "RGB")
            yield made if transparent else made.quantize(256, dither=Image.Dither.FLOYDSTEINBERG)

    rest = opened()
    first = next(rest)
    again: dict[str, Any] = {"loop": 0} if looping else {}
    if said:
        again["comment"] = _line(said).encode()
    first.save(out, "GIF", save_all=True, append_images=rest, duration=lasting, disposal=2 * transparent, **again)
