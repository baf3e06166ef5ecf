"""Paints the panoramas that come with Whorl: skies, lamps and simple shapes, each a function of direction.

`python -m whorl.panoramas.paint` writes their files anew.
"""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from whorl.images.around import ways

Light = NDArray[np.float64]
#: How many texels they are high; they are twice as wide.
HEIGHT = 256


def _smooth(low: float, high: float, x: Light) -> Light:
    t = np.clip((x - low) / (high - low), 0.0, 1.0)
    return np.asarray(t * t * (3 - 2 * t))


def _tinted(mask: Light, colour: tuple[float, float, float]) -> Light:
    return np.asarray(mask[..., None] * np.array(colour))


def _towards(yaw: float, pitch: float) -> Light:
    """A direction by degrees to the right of straight ahead, and upwards."""
    y, p = np.radians(yaw), np.radians(pitch)
    return np.array([np.sin(y) * np.cos(p), np.sin(p), -np.cos(y) * np.cos(p)])


def _spot(d: Light, yaw: float, pitch: float, radius: float, soft: float = 0.5) -> Light:
    """A round light of a radius in degrees."""
    off = np.degrees(np.arccos(np.clip(d @ _towards(yaw, pitch), -1, 1)))
    return 1 - _smooth(radius * (1 - soft), radius * (1 + soft), off)


def _box(d: Light, yaw: float, pitch: float, wide: float, high: float, soft: float = 2.0) -> Light:
    """A rectangle of light, by half its sides in degrees."""
    ahead = _towards(yaw, pitch)
    right = _towards(yaw + 90, 0)
    up = np.cross(right, ahead)
    before = np.maximum(d @ ahead, 1e-6)
    x, y = np.degrees(np.arctan2(d @ right, before)), np.degrees(np.arctan2(d @ up, before))
    inside = (1 - _smooth(wide - soft, wide + soft, np.abs(x))) * (1 - _smooth(high - soft, high + soft, np.abs(y)))
    return np.where(d @ ahead > 0, inside, 0.0)


def _room(d: Light, over: float, level: float, under: float) -> Light:
    y = d[..., 1]
    return np.where(y > 0, level + (over - level) * _smooth(0, 1, y), level + (under - level) * _smooth(0, 1, -y))


def studio_boxes(d: Light) -> Light:
    out = _tinted(_room(d, 0.05, 0.035, 0.02), (1.0, 1.0, 1.05))
    out += _tinted(_box(d, -58, 28, 22, 30), (9.0, 8.8, 8.4))
    out += _tinted(_box(d, 70, 12, 9, 42), (4.5, 5.0, 6.0))
    return out + _tinted(_box(d, 170, 55, 40, 12), (3.0, 2.8, 2.5))


def bright_overcast(d: Light) -> Light:
    y = d[..., 1]
    sky = 0.75 + 0.65 * _smooth(0.0, 1.0, y) + 0.5 * _spot(d, 30, 58, 34, 0.9)
    ground = 0.22 + 0.06 * _smooth(-1, 0, y)
    over = _smooth(-0.01, 0.01, y)
    return _tinted(sky * over, (0.96, 1.0, 1.08)) + _tinted(ground * (1 - over), (1.0, 0.97, 0.9))


def dusk_harbour(d: Light) -> Light:
    y = d[..., 1]
    round_ = np.degrees(np.arctan2(d[..., 0], -d[..., 2]))
    near_sun = np.exp(-(((round_ + 40) / 55) ** 2))
    low = np.exp(-((np.abs(y) / 0.16) ** 1.3))
    sky = _tinted(low * (0.25 + near_sun), (1.3, 0.55, 0.22)) + _tinted(_smooth(-0.05, 0.9, y), (0.07, 0.1, 0.24))
    over = _smooth(-0.004, 0.004, y)
    water = 0.35 * sky + _tinted(low * near_sun * (0.5 + 0.5 * np.sin(np.abs(y) ** 0.5 * 140)), (0.5, 0.22, 0.08))
    out = sky * over[..., None] + water * (1 - over[..., None])
    out += _tinted(_spot(d, -40, 3.5, 2.2), (160.0, 88.0, 38.0))
    for k in range(9):
        yaw = 25 + k * 14
        out += _tinted(_spot(d, yaw, 5 + k % 2, 0.9), (16.0, 11.0, 5.0))
        out += _tinted(_box(d, yaw, -6, 0.8, 5, 0.7), (0.9, 0.6, 0.25))
    return out


def night_with_lamps(d: Light) -> Light:
    y = d[..., 1]
    out = _tinted(_room(d, 0.03, 0.012, 0.004), (0.5, 0.7, 1.4))
    out += _tinted(_spot(d, 15, 52, 2.5, 0.2), (9.0, 10.0, 12.0))
    out += _tinted(_spot(d, 15, 52, 14, 0.9), (0.05, 0.06, 0.08))
    for k in range(12):
        yaw, pitch = k * 30 + 8, 9 + 5 * (k % 3)
        out += _tinted(_spot(d, yaw, pitch, 1.6), (42.0, 26.0, 11.0))
        out += _tinted(_spot(d, yaw, pitch, 12, 0.95), (0.12, 0.075, 0.03))
    return out + _tinted(np.exp(-(((y + 0.25) / 0.2) ** 2)), (0.03, 0.02, 0.01))


def window_room(d: Light) -> Light:
    out = _tinted(_room(d, 0.06, 0.045, 0.03), (1.15, 1.0, 0.82))
    pane = _box(d, -75, 14, 26, 30, 1.0)
    bars = _box(d, -75, 14, 1.4, 31, 0.5) + _box(d, -75, 18, 27, 1.4, 0.5)
    out += _tinted(pane * np.clip(1 - bars, 0.02, 1), (6.0, 7.4, 9.5))
    out += _tinted(_spot(d, 82, 20, 7, 0.25), (20.0, 12.0, 5.0))
    out += _tinted(_spot(d, 82, 20, 40, 0.95), (0.3, 0.17, 0.07))
    return out + _tinted(_box(d, -75, -48, 30, 14, 8), (0.25, 0.28, 0.33))


def northern_lights(d: Light) -> Light:
    y = d[..., 1]
    round_ = np.arctan2(d[..., 0], -d[..., 2])
    out = _tinted(_room(d, 0.012, 0.02, 0.003), (0.6, 0.9, 1.3))
    curtains = ((2, 0.24, (0.35, 2.6, 1.0)), (3, 0.42, (0.3, 1.8, 1.3)), (1, 0.6, (1.1, 0.5, 1.6)))
    for k, (count, lift, colour) in enumerate(curtains):
        foot = lift + 0.09 * np.sin(count * round_ + k) + 0.03 * np.sin(7 * round_ - 2 * k)
        above = y - foot
        rays = 0.55 + 0.45 * np.sin(38 * round_ + 3 * np.sin(5 * round_ + k)) * np.sin(11 * round_ + k)
        curtain = np.where(above > 0, np.exp(-above / 0.16), np.exp(above / 0.012)) * rays
        out += _tinted(curtain * (0.35 + 0.65 * np.cos(0.5 * (round_ - 0.6 * k)) ** 2), colour)
    hills = 0.05 + 0.035 * np.sin(3 * round_) + 0.02 * np.sin(8 * round_ + 1)
    return np.where((y < hills)[..., None], 0.25 * out * _smooth(-1, 0.1, y)[..., None] * 0.2, out)


PAINTED: dict[str, Callable[[Light], Light]] = {
    "studio-boxes": studio_boxes,
    "bright-overcast": bright_overcast,
    "dusk-harbour": dusk_harbour,
    "night-with-lamps": night_with_lamps,
    "window-room": window_room,
    "northern-lights": northern_lights,
}


def painted(slug: str) -> NDArray[np.float16]:
    """A panorama's light, (HEIGHT, 2 HEIGHT, 3), row 0 at the top; each texel the mean of four."""
    fine = PAINTED[slug](ways(2 * HEIGHT, 4 * HEIGHT))
    mean = fine.reshape(HEIGHT, 2, 2 * HEIGHT, 2, 3).mean(axis=(1, 3))
    # Ten bits of each float do, and the file is half as large.
    kept: NDArray[np.uint16] = np.maximum(mean, 0.0).astype(np.float16).view(np.uint16) & np.uint16(0xFFF8)
    return kept.view(np.float16)


def main() -> None:
    """Writes all files beside this one."""
    import OpenEXR

    for slug in PAINTED:
        light = painted(slug)
        planes = {name: np.ascontiguousarray(light[..., k]) for k, name in enumerate("RGB")}
        head = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        with OpenEXR.File(head, planes) as file:
            file.write(str(Path(__file__).with_name(f"{slug}.exr")))


if __name__ == "__main__":
    main()
