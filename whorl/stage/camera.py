"""The orbit camera."""

import math

import numpy as np
from numpy.typing import NDArray

from whorl.effect.document import Camera

NEAR, FAR = 0.05, 200.0


def eye(camera: Camera) -> NDArray[np.float64]:
    """Where the camera is: on a sphere about the origin; yaw 0 and pitch 0 look along −z."""
    yaw, pitch = math.radians(camera.yaw), math.radians(camera.pitch)
    way = [math.sin(yaw) * math.cos(pitch), math.sin(pitch), math.cos(yaw) * math.cos(pitch)]
    return np.array(way) * camera.distance


def view_projection(camera: Camera, width: int, height: int) -> NDArray[np.float64]:
    """World to clip space, 4×4, columns as OpenGL has them; `view` spans the lesser side."""
    back = eye(camera) / camera.distance
    right = np.cross([0.0, 1.0, 0.0], back)
    right /= np.linalg.norm(right)
    up = np.cross(back, right)
    view = np.eye(4)
    view[:3, :3] = [right, up, back]
    view[2, 3] = -camera.distance
    scale = 1 / math.tan(math.radians(camera.view) / 2)
    least = min(width, height)
    projection = np.zeros((4, 4))
    projection[0, 0] = scale * least / width
    projection[1, 1] = scale * least / height
    projection[2, 2] = (FAR + NEAR) / (NEAR - FAR)
    projection[2, 3] = 2 * FAR * NEAR / (NEAR - FAR)
    projection[3, 2] = -1
    return projection @ view
