"""Colour spaces of video that the shipped configuration lacks, made of its parts.

Sources: ITU-R BT.2100 (PQ, HLG and its 1000 cd/m2 display), BT.2408 (203 cd/m2 is diffuse white, here 1), BT.2020 (primaries). Both PQ and
HLG come in as the light of the display, so that a programme is the same in either.
"""

from __future__ import annotations

import copy

import PyOpenColorIO as ocio

PQ, HLG, WIDE = "PQ Rec.2020", "HLG Rec.2020", "sRGB Encoded Rec.2020"
P3 = "sRGB Encoded P3-D65 - Texture"
DIFFUSE_WHITE = 203.0
HIGH_RANGE = (PQ, HLG)  # spaces that hold light beyond diffuse white
_REFERENCE, _LINEAR_709, _LINEAR_2020 = "ACES2065-1", "Linear Rec.709 (sRGB)", "Linear Rec.2020"


def _scaled(by: float) -> ocio.Transform:
    return ocio.MatrixTransform([by, 0, 0, 0, 0, by, 0, 0, 0, 0, by, 0, 0, 0, 0, 1])


def with_video(config: ocio.Config) -> ocio.Config:
    """A copy of the configuration that knows these spaces too."""
    own = copy.deepcopy(config)
    hundredths = 100 / DIFFUSE_WHITE  # the built-in curves put 100 cd/m2 at 1
    parts: dict[str, list[ocio.Transform]] = {
        PQ: [
            ocio.BuiltinTransform("CURVE - ST-2084_to_LINEAR"),
            _scaled(hundredths),
            ocio.ColorSpaceTransform(_LINEAR_2020, _REFERENCE),
        ],
        HLG: [
            ocio.BuiltinTransform("DISPLAY - CIE-XYZ-D65_to_REC.2100-HLG-1000nit", ocio.TRANSFORM_DIR_INVERSE),
            _scaled(hundredths),
            ocio.BuiltinTransform("UTILITY - ACES-AP0_to_CIE-XYZ-D65_BFD", ocio.TRANSFORM_DIR_INVERSE),
        ],
        WIDE: [
            ocio.ColorSpaceTransform("sRGB - Texture", _LINEAR_709),
            ocio.ColorSpaceTransform(_LINEAR_2020, _REFERENCE),
        ],
    }
    for name, transforms in parts.items():
        space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name)
        group = ocio.GroupTransform()
        for transform in transforms:
            group.appendTransform(transform)
        space.setTransform(group, ocio.COLORSPACE_DIR_TO_REFERENCE)
        own.addColorSpace(space)
    return own


# ITU-T H.273: transfer and primaries of coded video -> colour space; what is not named here is shown as Rec.709 is.
_TRANSFERS = {16: PQ, 18: HLG, 8: _LINEAR_709}
_PRIMARIES = {9: WIDE, 11: P3, 12: P3}
TRANSFER_NAMES = {16: "PQ", 18: "HLG", 8: "linear light", 7: "SMPTE 240M", 9: "logarithmic", 10: "logarithmic"}


def space_of(transfer: int, primaries: int) -> str | None:
    """The space of coded video by the numbers of its tags; None for plain Rec.709 and what counts as such."""
    if transfer == 8 and primaries == 9:
        return _LINEAR_2020
    return _TRANSFERS.get(transfer) or _PRIMARIES.get(primaries)
