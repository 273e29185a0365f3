"""Lookup tables from .cube files: the open text form of one table of colours, or of one curve a channel."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from tropein.core.errors import BadInput

MOST_BYTES = 64 << 20
MOST_SIDE, MOST_CURVE, KEPT_SIDE = 129, 65536, 65
FAR = 1e4  # values beyond this mean nothing
Table = NDArray[np.float32]


def read_cube(data: bytes, name: str) -> Table:
    """(n, n, n, 3) float32 over 0..1 of display values, indexed blue, green, red; n at most KEPT_SIDE. BadInput, in words, for all that is wrong with it."""
    try:
        lines = data.decode("utf-8-sig").splitlines()
    except UnicodeDecodeError as error:
        raise BadInput(f"{name} is no .cube file: it is not text.") from error
    side, curve, low, high = 0, 0, np.zeros(3), np.ones(3)
    rows: list[str] = []
    for number, line in enumerate(lines, 1):
        text = line.split("#", 1)[0].strip()
        if not text:
            continue
        word, *rest = text.split()
        if word == "TITLE":
            continue
        if word in ("LUT_3D_SIZE", "LUT_1D_SIZE"):
            most = MOST_SIDE if word == "LUT_3D_SIZE" else MOST_CURVE
            size = int(rest[0]) if len(rest) == 1 and rest[0].isdigit() else 0
            if not 2 <= size <= most:
                raise BadInput(f"{name}, line {number}: its size must be a whole number from 2 to {most}.")
            side, curve = (size, curve) if word == "LUT_3D_SIZE" else (side, size)
        elif word in ("DOMAIN_MIN", "DOMAIN_MAX"):
            (low if word == "DOMAIN_MIN" else high)[:] = _numbers(rest, name, number)
        elif word[0].isalpha() and word.lower() not in ("nan", "inf", "infinity"):
            continue  # words of other programs
        else:
            rows.append(text)
    if bool(side) == bool(curve):
        raise BadInput(f"{name} is no .cube file: it must say LUT_3D_SIZE or LUT_1D_SIZE, once." if not side else f"{name} holds two tables; only one at a time can be read.")  # fmt: skip
    wanted = side**3 if side else curve
    if len(rows) != wanted:
        raise BadInput(f"{name} holds {len(rows):,} colours; for its size there must be {wanted:,}.")
    try:
        values = np.loadtxt(io.StringIO("\n".join(rows)), ndmin=2)
    except ValueError:
        values = np.empty((0, 0))
    if values.shape != (wanted, 3):
        raise BadInput(f"{name}: each colour must be three numbers.")
    if not np.isfinite(values).all() or np.abs(values).max() > FAR:
        raise BadInput(f"{name} holds values that are no numbers, or beyond all bounds.")
    if not (high > low).all():
        raise BadInput(f"{name}: its domain is empty.")
    return _over_unit(values, side, curve, low, high)


def _numbers(words: list[str], name: str, line: int) -> NDArray[np.float64]:
    try:
        values = np.array([float(w) for w in words])
    except ValueError:
        values = np.zeros(0)
    if values.shape != (3,) or not np.isfinite(values).all():
        raise BadInput(f"{name}, line {line}: three numbers are expected.")
    return values


def _over_unit(values: NDArray[np.float64], side: int, curve: int, low: NDArray[np.float64], high: NDArray[np.float64]) -> Table:  # fmt: skip
    """As a table over 0..1 of a side that is kept."""
    kept = min(side, KEPT_SIDE) if side else KEPT_SIDE
    at = np.linspace(0, 1, kept)
    if curve:
        channels = [np.interp(at, np.linspace(low[c], high[c], curve), values[:, c]) for c in range(3)]
        b, g, r = np.meshgrid(*channels[::-1], indexing="ij")
        return np.ascontiguousarray(np.stack([r, g, b], -1), np.float32)
    table = values.reshape(side, side, side, 3)
    if kept == side and not low.any() and (high == 1).all():
        return np.ascontiguousarray(table, np.float32)
    axes = [np.linspace(low[c], high[c], side) for c in (2, 1, 0)]
    wanted = np.stack(np.meshgrid(*[np.clip(at, low[c], high[c]) for c in (2, 1, 0)], indexing="ij"), -1)
    return np.ascontiguousarray(scipy.interpolate.RegularGridInterpolator(axes, table)(wanted), np.float32)


def written_cube(look: Callable[[NDArray[np.float64]], NDArray[Any]], name: str, side: int = 33) -> str:
    """What a look makes of display values (..., 3), as the text of a .cube file."""
    at = np.linspace(0, 1, side)
    b, g, r = np.meshgrid(at, at, at, indexing="ij")
    table = np.asarray(look(np.stack([r, g, b], -1))).reshape(-1, 3)
    head = [f'TITLE "{name.replace(chr(34), "")}"', f"LUT_3D_SIZE {side}"]
    return "\n".join([*head, *(" ".join(f"{v:.6f}" for v in row) for row in table), ""])
