"""What a bake makes."""

import math
import re
from typing import Annotated, Any, Literal, NamedTuple, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from whorl.bake.sheet import SheetOptions
from whorl.effect.described import choice, still, switch, whole
from whorl.effect.document import MOST_VARIANTS, Turn
from whorl.effect.stage import Shape
from whorl.refused import Refused

#: Of a file name, ending left out.
MOST_NAME = 200
#: Pixels that a side of a frame may have.
SIDES = (16, 4096)
#: The side of a map of a form that is made without being asked map by map, in pixels; at so many phases.
MAP_SIDE, MAP_FRAMES = (16, 2048), (1, 64)
#: Pixels that a side is drawn with before it is brought together.
MOST_FINE = 8192

Still = Literal["png", "exr"]
Video = Literal["webm", "mp4", "gif", "webp"]


class Kept(NamedTuple):
    """What a kind of file can hold, in words."""

    title: str
    words: str


STILLS: dict[Still, Kept] = {
    "png": Kept("PNG", "as it is seen: 8 or 16 bits, sRGB"),
    "exr": Kept("EXR", "its light before bloom and tone mapping: 32 bits, linear"),
}
VIDEOS: dict[Video, Kept] = {
    "webm": Kept("WebM", "VP9; keeps transparency"),
    "mp4": Kept("MP4", "H.264; no transparency"),
    "gif": Kept("GIF", "256 colours; transparent or not"),
    "webp": Kept("WebP", "animated; keeps transparency"),
}


class Size(BaseModel):
    """Sides in pixels."""

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)

    width: int = whole(512, "Width.", SIDES, "pixels")
    height: int = whole(512, "Height.", SIDES, "pixels")


class BakeOptions(BaseModel):
    """Sides in pixels; frames `first` up to but not including `last` (the whole turn by default), `every` nth of them,
    so many `loops` of the turn.

    A PNG has a `depth` of so many bits a channel, with `dither` where they are eight. An EXR has floats of so many,
    light before or after what a screen shows it by, and `layers`: names of `stage.layers.LAYERS`, or beads as
    STRAND/BEAD. Each frame is drawn so many times as `finer`, and over `exposures` while the `shutter` is open. With
    `sheet`, the frames are laid on one picture too. With `variants`, by id or name, each of them is made; without, the
    levers stand as they do. Further `sizes`, and `shapes` instead of its own, are made too, and the other `forms` of
    `bake.handed`, each in a folder of its own. `pattern` names the
    frames; it knows #### (the frame), {name}, {frame} and {phase}.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, strict=True)

    width: int = whole(512, "Width of each frame.", SIDES, "pixels", soft=(256, 1920))
    height: int = whole(512, "Height of each frame.", SIDES, "pixels", soft=(256, 1080))
    first: Annotated[int, Field(ge=0)] = 0
    last: Annotated[int | None, Field(ge=1)] = None
    transparent: bool = False
    stills: list[Still] = ["png"]
    depth: Literal["8 bits", "16 bits"] = choice(
        "8 bits", "How fine a PNG is.", {"8 bits": "as a screen shows it", "16 bits": "for grading"}
    )
    dither: bool = switch(False, "Eight bits are spread by blue noise, so that no steps are seen.")
    floats: Literal["16 bits", "32 bits"] = choice(
        "32 bits", "How fine an EXR is.", {"16 bits": "half floats", "32 bits": "whole floats"}
    )
    light: Literal["before", "after"] = choice(
        "before",
        "Which light an EXR holds.",
        {"before": "before bloom and tone mapping", "after": "as it is seen, linear"},
    )
    alpha: Literal["premultiplied", "straight"] = choice(
        "premultiplied",
        "How colour and alpha of an EXR go together.",
        {"premultiplied": "colour times alpha, as EXR has it", "straight": "colour by itself"},
    )
    layers: Annotated[list[Annotated[str, Field(max_length=120)]], Field(max_length=24)] = []
    finer: int = whole(1, "Drawn so many times as fine each way.", (1, 4))
    shutter: float = still(0.0, "For how much of a frame light is gathered.", (0, 1), (0, 1))
    exposures: int = whole(8, "How often it is drawn while the shutter is open.", (1, 32))
    every: int = whole(1, "Every so many frames one is drawn.", (1, 240), soft=(1, 8))
    loops: int = whole(1, "How often the turn comes round.", (1, 64), soft=(1, 8))
    videos: list[Video] = []
    quality: Literal["small", "good", "best"] = choice(
        "good",
        "How good a video is.",
        {"small": "a small file", "good": "hardly told from its frames", "best": "told by nobody, and large"},
    )
    sheet: SheetOptions | None = None
    variants: Annotated[list[Annotated[str, Field(max_length=120)]], Field(max_length=MOST_VARIANTS)] = []
    forms: Annotated[list[Annotated[str, Field(max_length=20)]], Field(max_length=12)] = []
    map_size: int = whole(512, "The side of each map of the forms made too.", MAP_SIDE, "pixels", soft=(128, 1024))
    map_frames: int = whole(16, "At how many phases of the turn these forms are taken; 1 is a still.", MAP_FRAMES)
    sizes: Annotated[list[Size], Field(max_length=8)] = []
    shapes: Annotated[list[Shape], Field(max_length=24)] = []
    pattern: Annotated[str, Field(min_length=1, max_length=120)] = "{name}-####"

    @model_validator(mode="after")
    def _makes_something(self) -> Self:
        if not self.stills and not self.videos and not self.sheet and not self.forms:
            raise Refused("choose frames, a video, a sheet or another form")
        if max(self.width, self.height) * self.finer > MOST_FINE:
            raise Refused(f"{self.finer} times as fine is more than {MOST_FINE} pixels a side; take smaller frames")
        fit_for_maps(self.map_size, self.map_frames)
        if self.layers and "exr" not in self.stills:
            raise Refused("layers go into EXR; choose that too")
        if "mesh" in self.shapes:
            raise Refused("a mesh is chosen on the stage, not for a bake")
        names(self.pattern, "effect", Turn(seconds=2.0, fps=1))
        return self


#: A side of a map with all its frames, of the forms that are made without being asked one by one.
MOST_MAP = 4096


def fit_for_maps(size: int, frames: int) -> None:
    """Raises Refused where frames of such maps would be more than memory should hold."""
    side = math.ceil(math.sqrt(frames)) * size
    if side > MOST_MAP:
        words = f"{frames} frames of {size} pixels make maps of {side}"
        raise Refused(f"{words}; up to {MOST_MAP} pixels a side are made here. Take fewer, or smaller ones")


#: A run of # is the frame, as many digits at the least; or a field in braces, the frame with its digits.
_FIELD = re.compile(r"(#+)|\{(name|phase)\}|\{frame(?::0?(\d{1,2})d?)?\}")
#: More digits than any frame number has.
MOST_DIGITS = 12


def named(pattern: str, name: str, frame: int, turn: Turn) -> str:
    """A frame's file name without its ending, as `boat-####` or `{name}-{frame:04d}` say. Raises Refused."""

    def fill(found: re.Match[str]) -> str:
        hashes, field, digits = found.groups()
        if field:
            return name if field == "name" else f"{turn.phase(frame):.4f}"
        least = len(hashes) if hashes else int(digits or 0)
        if least > MOST_DIGITS:
            raise Refused(f"the name pattern asks for {least} digits; up to {MOST_DIGITS} are written")
        return f"{frame:0{least}d}"

    made = _FIELD.sub(fill, pattern)
    if strange := re.search(r"\{[^}]*\}?|\}", made):
        known = "####, {name}, {frame}, {frame:04d} and {phase}"
        raise Refused(f"the name pattern knows {known}, not {strange[0][:40]}")
    if not re.fullmatch(r"[\w][\w .()+=-]*", made) or made.endswith((".", " ")) or len(made) > MOST_NAME:
        raise Refused(f"the name pattern gives '{made[:60]}', which is no plain file name")
    return made


def names(pattern: str, name: str, turn: Turn, loops: int = 1) -> list[str]:
    """The names of all frames of so many turns. Raises Refused where two would have the same."""
    made = [named(pattern, name, f, turn) for f in range(turn.frames * loops)]
    # Some file systems take capital and small letters for the same.
    if len({n.casefold() for n in made}) < len(made):
        raise Refused("the name pattern gives two frames the same name; put #### in it")
    return made


def sides(text: str) -> tuple[int, int]:
    """Width and height, from "512" or "1280x720". Raises Refused.

    >>> sides("512"), sides("1280x720")
    ((512, 512), (1280, 720))
    """
    found = re.fullmatch(r"(\d{1,6})(?:\s*[x×]\s*(\d{1,6}))?", text.strip())
    if not found:
        raise Refused(f"--size takes pixels, as in 512 or 1280x720, not '{text[:40]}'")
    return int(found[1]), int(found[2] or found[1])


def upgraded(options: dict[str, Any]) -> dict[str, Any]:
    """Options as they were kept before frames had two sides and kinds of their own."""
    made = dict(options)
    if "size" in made:
        made["width"] = made["height"] = made.pop("size")
    if "frames" in made:
        made["stills"] = ["png"] if made.pop("frames") else []
    return made


def slug(name: str) -> str:
    """A name as file names have it: small letters, digits and dashes.

    >>> slug("Fog Gate"), slug("Über!")
    ('fog-gate', 'ber')
    """
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "effect"
