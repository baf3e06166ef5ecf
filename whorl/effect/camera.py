"""The orbit camera."""

import math
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import Numbers
from whorl.effect.described import param
from whorl.effect.stage import Camera, Stage, Travel
from whorl.fields.travel import BESIDE, TIMES
from whorl.fields.travel import travelled as go

NEAR, FAR = 0.05, 200.0


def axes(camera: Camera) -> NDArray[np.float64]:
    """Its right, its up and the way back to it from what it looks at, as rows."""
    yaw, pitch = math.radians(camera.yaw), math.radians(camera.pitch)
    x, y, z = math.sin(yaw) * math.cos(pitch), math.sin(pitch), math.cos(yaw) * math.cos(pitch)
    # The right is level; each is the product of the other two.
    level = math.hypot(x, z)
    right_x, right_z = z / level, -x / level
    return np.array([[right_x, 0.0, right_z], [y * right_z, z * right_x - x * right_z, -y * right_x], [x, y, z]])


def eye(camera: Camera) -> NDArray[np.float64]:
    """Where the camera is: on a sphere about its target; yaw 0 and pitch 0 look along −z."""
    return np.asarray(np.array(camera.target) + axes(camera)[2] * camera.distance)


#: The ways in which a number of the camera goes, by name.
WAYS = {"beside": BESIDE, "times": TIMES}


def way_of(name: str) -> str:
    """How a number of the camera goes: what is counted in times is multiplied."""
    return "times" if param(Travel, name).unit == "times" else "beside"


def travelled(camera: Camera, by: Mapping[str, Numbers]) -> Camera:
    """A camera that has gone so far, see `effect.stage.Travel`; held within what a camera may be."""
    moved: dict[str, object] = {}
    for name, numbers in by.items():
        (low, high), way = param(Camera, name).hard, WAYS[way_of(name)]
        stands = getattr(camera, name)
        each = stands if isinstance(stands, tuple) else (stands,)
        gone = tuple(float(go(a, b, low, high, way)) for a, b in zip(each, numbers, strict=True))
        moved[name] = gone if isinstance(stands, tuple) else gone[0]
    return camera.model_copy(update=moved)


def lens(camera: Camera) -> float:
    """1 / tan of half the angle that the lesser side spans."""
    return 1 / math.tan(math.radians(camera.view) / 2)


def numbers(stage: Stage, width: int, height: int, bare: bool = False) -> dict[str, Numbers]:
    """What programs know of the camera; see `graph.CAMERA`."""
    camera = stage.camera
    right, up, _ = axes(camera)
    return {
        "eye": tuple(eye(camera)),
        "right": tuple(right),
        "up": tuple(up),
        "scale": (lens(camera),),
        "pixel": (2 / lens(camera) / min(width, height),),
        "bare": (float(bare),),
        "side": (1.0,),
        "size": (stage.size,),
        "alone": (0.0,),
        "reach": (1.0,),
    }


def view_projection(camera: Camera, width: int, height: int) -> NDArray[np.float64]:
    """World to clip space, 4×4, columns as OpenGL has them; `view` spans the lesser side."""
    view = np.eye(4)
    view[:3, :3] = axes(camera)
    view[:3, 3] = -view[:3, :3] @ eye(camera)
    scale = lens(camera)
    least = min(width, height)
    projection = np.zeros((4, 4))
    projection[0, 0] = scale * least / width
    projection[1, 1] = scale * least / height
    projection[2, 2] = (FAR + NEAR) / (NEAR - FAR)
    projection[2, 3] = 2 * FAR * NEAR / (NEAR - FAR)
    projection[3, 2] = -1
    return projection @ view
