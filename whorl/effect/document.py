"""The effect document: what a `*.whorl.json` file holds."""

from typing import Annotated, Any, Literal

from pydantic import Field

from whorl.effect.described import number, part, still, text, whole
from whorl.effect.stage import Stage
from whorl.effect.strands import Strand
from whorl.effect.surface import Surface
from whorl.effect.value import Finite, Id, Model, Name, Value


class Turn(Model):
    """One pass of the loop. The number of frames is seconds × fps, and whole."""

    seconds: Finite = still(4.0, "How long a turn lasts.", (1, 10), (0.001, 120), "s", structural=True)
    fps: int = whole(24, "How many frames a second has.", (1, 120), soft=(12, 60))

    @property
    def frames(self) -> int:
        return max(1, round(self.seconds * self.fps))


Later = Annotated[tuple[Any, ...], Field(max_length=0)]


class Beacon(Model):
    """A placed point with an axis that fields can be measured from.

    `yaw` and `pitch` turn the axis, in degrees: 0 and 0 point at the viewer's side, as lamps do.
    """

    id: Id
    name: Name
    position: Value = number((0.0, 0.0, 0.0), "Where it is.", (-1.5, 1.5), (-100, 100), "units")
    yaw: Value = number(
        0.0,
        "Which way its axis points: 0 at the viewer, 90 to the right.",
        (-180, 180),
        (-1000, 1000),
        "degrees",
        wrap=360.0,
    )
    pitch: Value = number(90.0, "How steeply its axis rises.", (-90, 90), (-90, 90), "degrees")


class Asset(Model):
    """A picture the effect brings in, known by the SHA-256 of its file."""

    id: Id
    name: Name
    hash: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")] = part(..., "Its file.", structural="always")
    width: Annotated[int, Field(ge=1, le=8192)]
    height: Annotated[int, Field(ge=1, le=8192)]


class Effect(Model):
    """One moving material. Levers and variants are empty in this version."""

    format: Literal["whorl-effect"] = "whorl-effect"
    version: Literal[1] = 1
    name: Name
    notes: Annotated[str, Field(max_length=20000)] = text("", "What whoever receives it should know.")
    turn: Turn = part(Turn(), "One pass of the loop.")
    strands: Annotated[tuple[Strand, ...], Field(max_length=200)] = part((), "From top to bottom.")
    surface: Surface = part(Surface(), "How it composites.")
    levers: Later = ()
    variants: Later = ()
    beacons: Annotated[tuple[Beacon, ...], Field(max_length=16)] = part((), "Points that fields are measured from.")
    stage: Stage = part(Stage(), "The scene it is tried in.")
    assets: Annotated[tuple[Asset, ...], Field(max_length=64)] = part((), "Pictures it brings in.")
