"""What a bake makes."""

import re
import string
from typing import Annotated, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from whorl.effect.described import whole
from whorl.effect.problems import Refused

Video = Literal["webm", "gif", "webp", "mp4"]


class BakeOptions(BaseModel):
    """Size in pixels; frames `first` up to but not including `last` (the whole turn by default).

    `pattern` names the frames; it knows {name}, {frame} and {phase}.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    size: int = whole(512, "Width and height of each frame.", (16, 4096), "pixels", soft=(256, 1024))
    first: Annotated[int, Field(ge=0)] = 0
    last: Annotated[int | None, Field(ge=1)] = None
    transparent: bool = False
    frames: bool = True
    videos: list[Video] = []
    pattern: Annotated[str, Field(min_length=1, max_length=120)] = "{name}-{frame:04d}"

    @model_validator(mode="after")
    def _makes_something(self) -> Self:
        if not self.frames and not self.videos:
            raise Refused("choose frames, a video, or both")
        named(self.pattern, "effect", 0, 1)
        if named(self.pattern, "effect", 0, 2) == named(self.pattern, "effect", 1, 2):
            raise Refused("the name pattern gives every frame the same name; put {frame} in it")
        return self


def named(pattern: str, name: str, frame: int, frames: int) -> str:
    """A frame's file name without its ending. Raises Refused for a pattern that gives none."""
    try:
        fields = [f for _, f, _, _ in string.Formatter().parse(pattern) if f is not None]
        unknown = [f for f in fields if f not in ("name", "frame", "phase")]
        if unknown:
            raise Refused(f"the name pattern knows {{name}}, {{frame}} and {{phase}}, not {{{unknown[0]}}}")
        made = pattern.format(name=name, frame=frame, phase=frame / frames)
    except (ValueError, IndexError, KeyError, TypeError) as e:
        words = str(e) if "name pattern" in str(e) else f"the name pattern cannot be read: {e}"
        raise Refused(words) from None
    if not re.fullmatch(r"[\w][\w .()+=-]*", made) or made.endswith((".", " ")):
        raise Refused(f"the name pattern gives '{made}', which is no plain file name")
    return made


def slug(name: str) -> str:
    """A name as file names have it: small letters, digits and dashes.

    >>> slug("Fog Gate"), slug("Über!")
    ('fog-gate', 'ber')
    """
    return re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "effect"
