"""One picture or one field in a file: PNG, OpenEXR or NumPy."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorl.bake.png import save_png, spoken
from whorl.bake.whole import whole
from whorl.shade.kernel import Floats

PICTURES = (".png", ".exr")
FIELDS = (".png", ".exr", ".npy")


#: Rec. 709 primaries and D65, as an OpenEXR header has them (x and y of red, green, blue and white).
REC_709 = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06, 0.3127, 0.3290)


def save_exr(values: NDArray[Any], path: Path, half: bool = False, said: Mapping[str, Any] = {}) -> None:
    """Raw floats (height, width, 1, 3 or 4), row 0 at the top: channel Y, RGB or RGBA, in 32 bits or in 16; what is
    `said` of them goes into the header."""
    # Loading it takes a tenth of a second, which a PNG need not wait for.
    import OpenEXR

    count = values.shape[2]
    name = {1: "Y", 3: "RGB", 4: "RGBA"}[count]
    kind = np.float16 if half else np.float32
    data = np.ascontiguousarray(values[..., 0] if count == 1 else values, kind)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage, **said}
    with whole(path) as part:
        OpenEXR.File(header, {name: data}).write(str(part))


def save_layers(
    scene: NDArray[np.float32], layers: dict[str, NDArray[np.float32]], path: Path, half: bool, said: Mapping[str, Any]
) -> None:
    """Linear light (4, height, width) as RGBA, and planes (height, width) by the names of their channels; what is
    said of it goes into the header, with the primaries. Depths are never halved: beyond 65,504 half floats end."""
    import OpenEXR

    kind = np.float16 if half else np.float32
    most = np.float32(65504.0 if half else np.inf)
    channels: dict[str, Any] = {
        "RGBA": np.ascontiguousarray(np.moveaxis(np.clip(scene, -most, most), 0, -1), kind),
    }
    for name, plane in layers.items():
        deep = name.endswith(".Z")
        held = plane if deep else np.clip(plane, -most, most)
        channels[name] = np.ascontiguousarray(held, np.float32 if deep else kind)
    header = {
        "compression": OpenEXR.ZIP_COMPRESSION,
        "type": OpenEXR.scanlineimage,
        "chromaticities": REC_709,
        **said,
    }
    with whole(path) as part:
        OpenEXR.File(header, channels).write(str(part))


def texts(said: Mapping[str, str]) -> Any:
    """What a file says of itself, as Pillow puts it into a PNG."""
    from PIL.PngImagePlugin import PngInfo

    made = PngInfo()
    for keyword, text in spoken(said).items():
        made.add_itxt(keyword, text)
    return made


def save_npy(values: Floats, path: Path) -> None:
    """Raw float32 as NumPy keeps it."""
    with whole(path) as part, part.open("wb") as f:
        np.save(f, values.astype(np.float32))


def save_field(values: Floats, path: Path) -> None:
    """A field by the file's ending: PNG shows it cut to 0..1, npy and exr keep it raw."""
    if path.suffix == ".npy":
        save_npy(values, path)
    elif path.suffix == ".exr":
        save_exr(values, path)
    else:
        shown = np.moveaxis(values, -1, 0)
        save_png(np.repeat(shown, 3, axis=0) if len(shown) == 1 else shown, path, transparent=False)
