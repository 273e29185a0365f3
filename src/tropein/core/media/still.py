"""Reading single pictures: PNG and TIFF of 8 or 16 bits, JPEG, WebP, EXR."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import MediaError
from tropein.core.raster.colour import DISPLAY, WORKING

MAX_PIXELS = 16_384 * 16_384 // 2
ORIENTATION = 0x0112  # in EXIF; 5 to 8 lie on their side
TURNED = {".jpg", ".jpeg", ".webp"}  # what is read upright
SUFFIXES = {".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".exr"}


def measure(path: Path) -> tuple[int, int]:
    """Width and height of the upright picture, from the header alone; MediaError when it is no picture or too large to open."""
    try:
        if path.suffix.lower() == ".exr":
            import OpenEXR

            box = OpenEXR.File(str(path), header_only=True).header()["dataWindow"]
            size = tuple(int(v) for v in np.array(box[1]) - np.array(box[0]) + 1)
        else:
            from PIL import Image

            Image.MAX_IMAGE_PIXELS = None  # our own limit follows, with our own words
            with Image.open(path) as image:
                size = image.size
                if path.suffix.lower() in TURNED and image.getexif().get(ORIENTATION, 1) in (5, 6, 7, 8):
                    size = (size[1], size[0])
    except Exception as error:
        raise MediaError(f"{path.name} cannot be read as a picture.") from error
    if size[0] < 1 or size[1] < 1 or max(size) > 16_384 or size[0] * size[1] > MAX_PIXELS:
        raise MediaError(f"{path.name} says it is {size[0]}x{size[1]} pixels; up to 16384 a side can be opened.")
    return int(size[0]), int(size[1])


def read(path: Path) -> tuple[NDArray[Any], str, bool]:
    """(values, colour space, premultiplied): values (h, w, 3 or 4), uint8, uint16 or float32, channels RGB(A).

    Integers are display-encoded with straight alpha; EXR is linear and premultiplied, as that format's standard says.
    """
    measure(path)
    suffix = path.suffix.lower()
    if suffix == ".exr":
        return _exr(path), WORKING, True
    if suffix in {".png", ".tif", ".tiff"}:
        raw = cv2.imdecode(np.fromfile(path, np.uint8), cv2.IMREAD_UNCHANGED)
        if raw is None:
            raise MediaError(f"{path.name} is damaged or of a kind that cannot be read.")
        values = raw
        if raw.ndim == 3:
            values = cv2.cvtColor(raw, cv2.COLOR_BGRA2RGBA if raw.shape[2] == 4 else cv2.COLOR_BGR2RGB)
    else:
        from PIL import Image, ImageOps

        try:
            with Image.open(path) as image:
                upright = ImageOps.exif_transpose(image)
                values = np.asarray(upright.convert("RGBA" if "A" in upright.getbands() else "RGB"))
        except Exception as error:
            raise MediaError(f"{path.name} is damaged or of a kind that cannot be read.") from error
    if values.ndim == 2:
        values = np.repeat(values[..., None], 3, 2)
    if values.ndim != 3 or values.shape[2] not in (3, 4):
        raise MediaError(f"{path.name} has {values.shape[-1]} channels; 1, 3 or 4 are understood.")
    if values.dtype in (np.uint8, np.uint16):
        return np.ascontiguousarray(values), DISPLAY, False
    if np.issubdtype(values.dtype, np.floating):
        return np.ascontiguousarray(values, np.float32), WORKING, False
    raise MediaError(f"{path.name} holds {values.dtype} values; 8 or 16 bit integers and floats are understood.")


def _exr(path: Path) -> NDArray[np.float32]:
    import OpenEXR

    try:
        channels = OpenEXR.File(str(path), separate_channels=True).channels()
    except Exception as error:
        raise MediaError(f"{path.name} is a damaged EXR.") from error
    names = {name.upper(): np.asarray(channel.pixels, np.float32) for name, channel in channels.items()}
    if not {"R", "G", "B"} <= names.keys():
        if "Y" not in names:
            raise MediaError(f"{path.name} has no R, G and B channels.")
        names.update(R=names["Y"], G=names["Y"], B=names["Y"])
    return np.stack([names[c] for c in ("R", "G", "B", "A") if c in names], 2)
