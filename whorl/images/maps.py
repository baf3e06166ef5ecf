"""What the pictures of a set of maps are for: told from their names and from what they hold."""

import io
import re
import zipfile
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from whorl.images.decode import Decoded
from whorl.images.zips import BEGINS, BROKEN, bounded
from whorl.refused import Refused

Use = Literal[
    "base", "normal", "roughness", "gloss", "metallic", "occlusion", "height", "opacity", "emission", "nothing"
]

#: What files of each use are called, as whole words of their names.
WORDS: dict[Use, tuple[str, ...]] = {
    "base": ("base", "basecolor", "basecolour", "albedo", "diffuse", "diff", "color", "colour", "col"),
    "normal": ("normal", "normals", "nor", "nrm", "norm", "nmap"),
    "roughness": ("roughness", "rough", "rgh"),
    "gloss": ("gloss", "glossiness", "smoothness", "smooth"),
    "metallic": ("metallic", "metalness", "metal", "mtl"),
    "occlusion": ("occlusion", "ao", "ambientocclusion", "cavity"),
    "height": ("height", "displacement", "disp", "bump", "depth"),
    "opacity": ("opacity", "alpha", "mask", "transparency"),
    "emission": ("emission", "emissive", "emit", "glow"),
}
#: What says which way green points.
_UP, _DOWN = ("gl", "up"), ("dx", "down")


@dataclass(frozen=True)
class Proposed:
    """What a picture is likely for, why, and for a map of normals whether its green points down."""

    use: Use
    why: str
    flip_green: bool = False


def proposed(name: str, image: Decoded) -> Proposed:
    """What a picture of a set is for."""
    words, small = _words(name), _small(image)
    grey = image.channels == "grey" or float(np.quantile(np.ptp(small[..., :3], axis=-1), 0.98)) < 0.06
    for word in words:
        use = next((u for u, known in WORDS.items() if word in known), None)
        # What is a colour is no measure, and what is none is no normal.
        if use is None or (use not in ("base", "emission", "normal") and not grey):
            continue
        if use != "normal":
            return Proposed(use, f"its name says “{word}”")
        if not looks_normal(small):
            continue
        if hint := next((w for w in words if w in (*_UP, *_DOWN)), None):
            return Proposed("normal", f"its name says “{word}” and “{hint}”", hint in _DOWN)
        down, sure = green_down(small)
        fits = f"; its slopes fit green {'down' if down else 'up'}" if sure else ""
        return Proposed("normal", f"its name says “{word}”{fits}", down)
    if looks_normal(small):
        down, _ = green_down(small)
        return Proposed("normal", f"it looks like normals, with green {'down' if down else 'up'}", down)
    if not grey:
        return Proposed("base", "it is a colour")
    return Proposed("nothing", "its name does not say what it is for")


def _words(name: str) -> list[str]:
    """The words of a file's name, the last first: what a map is for stands at the end. Joined ones too: base color."""
    stem = re.sub(r"\.[^.]*$", "", name)
    parts = re.findall(r"[a-z]+", re.sub(r"([a-z])([A-Z])", r"\1 \2", stem).lower())
    return [*(a + b for a, b in pairwise(parts)), *parts][::-1]


def _small(image: Decoded) -> NDArray[np.float32]:
    """Every so many texels, about 256 along the lesser side."""
    step = max(1, min(image.width, image.height) // 256)
    rows = np.concatenate([image.rows(r, r + 1)[:, ::step] for r in range(0, image.height, step)])
    return rows


def looks_normal(texels: NDArray[np.float32]) -> bool:
    """Whether colours are unit vectors of a tangent space: as long as one, and none facing away."""
    n = texels[..., :3].astype(np.float64) * 2 - 1
    length = np.linalg.norm(n, axis=-1)
    return bool(
        np.median(np.abs(length - 1)) < 0.05
        and np.median(n[..., 2]) > 0.4
        and (n[..., 2] > -0.02).mean() > 0.98
        and np.abs(n[..., :2].mean(axis=(0, 1))).max() < 0.25
    )


def green_down(texels: NDArray[np.float32]) -> tuple[bool, bool]:
    """Whether a map of normals has green downwards, and whether that is sure.

    The slopes of a height can be put back together: how much one changes along the other's axis is the same both ways
    (Frankot and Chellappa 1988). With green taken the wrong way round it is the opposite.
    """
    n = texels[..., :3].astype(np.float64) * 2 - 1
    z = np.maximum(n[..., 2], 0.1)
    p, q = -n[..., 0] / z, -n[..., 1] / z
    across = np.diff(q, axis=1)[:-1]
    # Rows run downwards, and green that points up counts upwards.
    down = -np.diff(p, axis=0)[:, :-1]
    together = float((across * down).sum())
    strength = float(np.sqrt((across**2).sum() * (down**2).sum()))
    return together < 0, strength > 1e-9 and abs(together) > 0.2 * strength


#: Pictures that are taken of one zip, and what they may come to unpacked.
MOST_FILES, MOST_UNPACKED = 16, 512 * 1024 * 1024


def unpacked(name: str, data: bytes) -> list[tuple[str, bytes]]:
    """The files of a zip by their names, or the one file that it is. Raises Refused."""
    if not data.startswith(BEGINS):
        return [(name, data)]
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as file:
            inside = [f for f in file.infolist() if not f.is_dir() and not f.filename.startswith("__")]
            if len(inside) > MOST_FILES or sum(f.file_size for f in inside) > MOST_UNPACKED:
                raise Refused(
                    f"the zip holds {len(inside)} files; up to {MOST_FILES} with "
                    f"{MOST_UNPACKED // 2**20} MiB unpacked are taken"
                )
            return [(f.filename.rsplit("/", 1)[-1] or "picture", bounded(file, f)) for f in inside]
    except BROKEN as e:
        if isinstance(e, Refused):
            raise
        raise Refused("the zip is damaged, or of a kind that is not read") from e
