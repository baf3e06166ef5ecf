"""A picture sequence: frames of one size in one zip, in order, of which one is unpacked at a time.

It is brought in as such a zip, as several numbered pictures, as a video or as an animated picture, and always kept as
the first of these: an open file that a person can look into.
"""

import io
import itertools
import re
import zipfile
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from PIL import Image, ImageSequence

from whorl.images.decode import BadImage, decode
from whorl.images.zips import BEGINS, BROKEN, bounded

MOST_FRAMES, MOST_SIDE = 512, 2048
#: The sides of a video that is made smaller for it.
MOST_VIDEO = 4096
#: What all frames of one may come to, in bytes and in pixels.
MOST_BYTES, MOST_PIXELS = 256 * 1024 * 1024, 640 * 1024 * 1024
_ANIMATED = ("GIF", "PNG", "WEBP")
#: The last number of a name.
_NUMBER = re.compile(r"^(.*?)(\d+)(\D*)$")


@dataclass(frozen=True)
class Played:
    """What is known of a sequence: the size of its frames, what channels they have, and how many there are."""

    width: int
    height: int
    channels: Literal["grey", "colour"]
    frames: int


def is_sequence(data: bytes) -> bool:
    """Whether a file is the zip of a sequence."""
    return data[:4] == BEGINS


def frame_of(file: zipfile.ZipFile, number: int) -> bytes:
    """One frame; beyond the last they begin again. Raises BadImage."""
    inside = _inside(file)
    return _read(file, inside[number % len(inside)])


def read_sequence(data: bytes) -> Played:
    """What is known of a sequence, each frame of which is read once. Raises BadImage, which names the frame."""
    with _opened(data) as file:
        inside, first = _inside(file), None
        for info in inside:
            try:
                made = decode(_read(file, info))
            except BadImage as e:
                raise BadImage(f"{info.filename}: {e}") from None
            size = made.width, made.height
            if first is None:
                _bounded(*size, len(inside))
                first = size, made.channels
            if size != first[0]:
                wide, high = first[0]
                raise BadImage(
                    f"{info.filename} is {size[0]} × {size[1]} and the first frame {wide} × {high}; all have one size"
                )
        assert first is not None
        return Played(*first[0], first[1], len(inside))


def taken(data: bytes) -> bytes | None:
    """A file that holds several pictures, as a sequence; None where it is a single one. Raises BadImage."""
    if is_sequence(data):
        with _opened(data) as file:
            return gathered((i.filename.rsplit("/", 1)[-1], _read(file, i)) for i in _inside(file))
    if _is_video(data):
        return _zipped(_of_video(data))
    return _zipped(_of_animation(data)) if _is_animated(data) else None


def gathered(files: Iterable[tuple[str, bytes]]) -> bytes:
    """Numbered pictures as a sequence, in the order of their numbers. Raises BadImage."""
    named: dict[int, tuple[str, bytes]] = {}
    stems: dict[str, str] = {}
    for name, data in files:
        parts = _NUMBER.match(name.rsplit(".", 1)[0])
        if parts is None:
            raise BadImage(f"{name} has no number; frames are called as mist_0001.png, mist_0002.png")
        stems.setdefault(parts[1], name)
        if len(stems) > 1:
            one, other = stems.values()
            raise BadImage(f"{one} and {other} are of two sequences; bring in one at a time")
        number = int(parts[2][-9:])
        if number in named:
            raise BadImage(f"{name} and {named[number][0]} have the same number")
        named[number] = name, data
    order = sorted(named)
    steps = [b - a for a, b in itertools.pairwise(order)]
    for before, step in zip(order, steps, strict=False):
        # Every second frame is a sequence too; one that lacks a frame here and there is a mistake.
        if step != min(steps):
            raise BadImage(f"frame {before + min(steps)} is missing: after {named[before][0]} comes {before + step}")
    return _zipped(named[k] for k in order)


def name_of_all(names: Sequence[str]) -> str:
    """What a sequence is called: as its frames are, without their numbers."""
    parts = _NUMBER.match(names[0].rsplit(".", 1)[0])
    return (parts[1].rstrip("_-. ") if parts else "") or "sequence"


def _zipped(frames: Iterable[tuple[str, bytes]]) -> bytes:
    """Frames under numbers of their own, the same frames giving the same bytes."""
    out, total, count = io.BytesIO(), 0, 0
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as file:
        for name, data in frames:
            count, total = count + 1, total + len(data)
            if count > MOST_FRAMES or total > MOST_BYTES:
                raise BadImage(
                    f"the sequence has more than the {MOST_FRAMES} frames or {MOST_BYTES // 2**20} MiB that are taken"
                )
            ending = re.sub(r"[^a-z0-9]", "", name.rsplit(".", 1)[-1].lower())[:8] or "png"
            file.writestr(zipfile.ZipInfo(f"{count:04d}.{ending}", (2026, 1, 1, 0, 0, 0)), data)
    if count < 2:
        raise BadImage("a sequence has two frames at least")
    return out.getvalue()


def _bounded(width: int, height: int, count: int) -> None:
    if max(width, height) > MOST_SIDE or width * height * count > MOST_PIXELS:
        raise BadImage(
            f"the sequence has {count} frames of {width} × {height}; up to {MOST_SIDE} on a side "
            f"and {MOST_PIXELS // 2**20} megapixels in all are taken"
        )


# --- zips -------------------------------------------------------------------------------


def _opened(data: bytes) -> zipfile.ZipFile:
    try:
        return zipfile.ZipFile(io.BytesIO(data))
    except BROKEN as e:
        raise BadImage("the zip is damaged, or of a kind that is not read") from e


def _inside(file: zipfile.ZipFile) -> Sequence[zipfile.ZipInfo]:
    """The pictures of a zip; what systems add of their own is none."""
    inside = [f for f in file.infolist() if not f.is_dir() and not f.filename.startswith(("__", "."))]
    if len(inside) < 2:
        raise BadImage("a sequence has two frames at least")
    if len(inside) > MOST_FRAMES or sum(f.file_size for f in inside) > MOST_BYTES:
        raise BadImage(
            f"the zip has {len(inside)} pictures; up to {MOST_FRAMES} with {MOST_BYTES // 2**20} MiB are taken"
        )
    return inside


def _read(file: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    try:
        return bounded(file, info)
    except BROKEN as e:
        raise BadImage(f"{info.filename} in the zip is damaged, or packed in a way that is not read") from e


# --- videos and animations --------------------------------------------------------------


def _is_video(data: bytes) -> bool:
    """MP4 and QuickTime (ISO 14496-12), WebM and Matroska (RFC 8794)."""
    return data[4:8] == b"ftyp" or data[:4] == b"\x1a\x45\xdf\xa3"


def _is_animated(data: bytes) -> bool:
    """GIF, and PNG and WebP that say they are animated."""
    webp = data[:4] == b"RIFF" and data[8:16] == b"WEBPVP8X" and len(data) > 20 and bool(data[20] & 2)
    png = data[:8] == b"\x89PNG\r\n\x1a\n" and b"acTL" in data[: data.find(b"IDAT")]
    if not webp and not png and data[:4] != b"GIF8":
        return False
    try:
        with Image.open(io.BytesIO(data), formats=_ANIMATED) as image:
            return getattr(image, "n_frames", 1) > 1
    except Exception:
        # What is wrong with it is told by whoever reads it as a single picture.
        return False


def _of_animation(data: bytes) -> Iterator[tuple[str, bytes]]:
    try:
        with Image.open(io.BytesIO(data), formats=_ANIMATED) as image:
            count = getattr(image, "n_frames", 1)
            _bounded(*image.size, min(count, MOST_FRAMES))
            for frame in ImageSequence.Iterator(image):
                yield "frame.png", _png(frame.convert("RGBA"))
    except BadImage:
        raise
    except Exception as e:
        raise BadImage("this is not an animation that is read here: GIF, PNG or WebP") from e


def _of_video(data: bytes) -> Iterator[tuple[str, bytes]]:
    """The frames of a video, without what it has of sound; larger ones are made smaller."""
    import av

    try:
        with av.open(io.BytesIO(data), "r") as file:
            stream = file.streams.video[0]
            if max(stream.width, stream.height) > MOST_VIDEO:
                raise BadImage(f"the video is {stream.width} × {stream.height}; up to {MOST_VIDEO} on a side are taken")
            for count, frame in enumerate(file.decode(stream), 1):
                picture = frame.to_ndarray(format="rgba" if "a" in frame.format.name else "rgb24")
                image = Image.fromarray(picture)
                image.thumbnail((MOST_SIDE, MOST_SIDE), Image.Resampling.BOX)
                # Before the rest is unpacked in vain.
                _bounded(*image.size, count)
                yield "frame.png", _png(image)
    except BadImage:
        raise
    except Exception as e:
        raise BadImage("this is not a video that is read here: MP4 or WebM") from e


def _png(image: Image.Image) -> bytes:
    out = io.BytesIO()
    image.save(out, "PNG", compress_level=3)
    return out.getvalue()
