"""Grades as slope, offset, power and saturation on display values (ASC CDL): found from colours, written and read as the open XML form."""

from __future__ import annotations

import re
from dataclasses import dataclass
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput

Array = NDArray[np.float64]
Three = tuple[float, float, float]
LUMA = np.array([0.2126, 0.7152, 0.0722])
LEAST, MOST_BYTES = 1e-6, 1 << 20


@dataclass(frozen=True)
class Cdl:
    """out = (in * slope + offset) ^ power, then saturation about luma (ASC CDL 1.2)."""

    slope: Three = (1.0, 1.0, 1.0)
    offset: Three = (0.0, 0.0, 0.0)
    power: Three = (1.0, 1.0, 1.0)
    saturation: float = 1.0

    def __call__(self, display: Array) -> Array:
        """(..., 3) display values."""
        v = np.maximum(np.asarray(display, np.float64) * self.slope + np.array(self.offset), 0) ** np.array(self.power)
        luma = (v @ LUMA)[..., None]
        return np.asarray(luma + self.saturation * (v - luma))

    def partly(self, share: float) -> Cdl:
        """As much of it: 0 is nothing, 1 all."""

        def power(v: float) -> float:
            return float(max(v, LEAST) ** share)

        r = [tuple(power(v) for v in three) for three in (self.slope, self.power)]
        offset = tuple(float(v * share) for v in self.offset)
        return Cdl(r[0], offset, r[1], power(self.saturation))  # type: ignore[arg-type]

    def written(self, name: str) -> str:
        """As a .cdl document with one colour decision."""
        root = ElementTree.Element("ColorDecisionList", xmlns="urn:ASC:CDL:v1.2")
        correction = ElementTree.SubElement(ElementTree.SubElement(root, "ColorDecision"), "ColorCorrection", id=name)
        node = ElementTree.SubElement(correction, "SOPNode")
        for tag, three in (("Slope", self.slope), ("Offset", self.offset), ("Power", self.power)):
            ElementTree.SubElement(node, tag).text = " ".join(f"{v:.6f}" for v in three)
        sat = ElementTree.SubElement(ElementTree.SubElement(correction, "SatNode"), "Saturation")
        sat.text = f"{self.saturation:.6f}"
        ElementTree.indent(root)
        return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def read_cdl(data: bytes, name: str) -> Cdl:
    """The first grade of a .cdl, .ccc or .cc file. BadInput, in words, for all that is wrong with it."""
    if len(data) > MOST_BYTES or b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise BadInput(f"{name} is no grade: it is too large, or declares what such files do not.")
    try:
        root = ElementTree.fromstring(data)
    except ElementTree.ParseError as error:
        raise BadInput(f"{name} is no grade: it is not XML.") from error
    plain = {re.sub(r"^\{.*\}", "", e.tag): e for e in reversed(list(root.iter()))}
    if "SOPNode" not in plain and "SatNode" not in plain and "SATNode" not in plain:
        raise BadInput(f"{name} holds no slope, offset, power or saturation.")

    def numbers(tag: str, count: int, default: float) -> tuple[float, ...]:
        if tag not in plain:
            return (default,) * count
        try:
            values = tuple(float(v) for v in (plain[tag].text or "").split())
        except ValueError:
            values = ()
        if len(values) != count or not np.isfinite(values).all() or max(abs(v) for v in values) > 1e4:
            raise BadInput(f"{name}: {tag} must be {count} number{'s' if count > 1 else ''}.")
        return values

    slope, offset, power = (numbers(t, 3, d) for t, d in (("Slope", 1.0), ("Offset", 0.0), ("Power", 1.0)))
    (saturation,) = numbers("Saturation", 1, 1.0)
    if min(slope) < 0 or min(power) <= 0 or saturation < 0:
        raise BadInput(f"{name}: slope and saturation cannot be below 0, power must be above.")
    return Cdl(slope, offset, power, saturation)  # type: ignore[arg-type]
