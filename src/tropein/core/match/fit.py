"""The grade that brings some colours to others: of pairs that belong together, or of two clouds that do not.

Pairs: least squares with a soft threshold (soft_l1), so that one pair that contradicts the rest does not pull them along, and a weak pull towards
no change, so that few pairs settle what they can and no more. Clouds: their quantiles channel by channel and their spread of colour, against the linear
Monge-Kantorovich map (Pitie and Kokaram 2007); whichever carries the one cloud nearer to the other.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.match.cdl import LUMA, Array, Cdl

FEWEST_PIXELS = 30
NOISE, THRESHOLD = 0.006, 0.015  # of display values: what a pair is off by anyway; from where on it counts less
PRIORS = np.repeat(
    [0.7, 0.12, 0.5, 0.6], [3, 3, 3, 1]
)  # how far a grade goes by itself: log slope, offset, log power, log saturation
TIGHT = np.repeat([0.7, 0.06, 0.15, 0.1], [3, 3, 3, 1])  # of so few pairs that a gain is all they can tell
QUANTILES = np.array([1, 3, 6, 10, 15, 20, 30, 40, 50, 60, 70, 80, 85, 90, 94, 97, 99.0])


@dataclass(frozen=True)
class Fitted:
    """A grade, and how far its colours were off before and are after, as a mean of dE2000."""

    grade: Cdl
    before: float
    after: float

    @property
    def helps(self) -> bool:
        return self.after < 0.9 * self.before


def _of(x: Array) -> Cdl:
    slope, offset, power = np.exp(x[:3]), x[3:6], np.exp(x[6:9])
    return Cdl(tuple(slope.tolist()), tuple(offset.tolist()), tuple(power.tolist()), float(np.exp(x[9])))


def _numbers(grade: Cdl) -> Array:
    return np.concatenate(
        [np.log(grade.slope), grade.offset, np.log(grade.power), [np.log(max(grade.saturation, 1e-3))]]
    )


def from_pairs(own: Array, wanted: Array, weights: Array | None = None) -> Fitted:
    """The grade of display colours `own` (n, 3) that makes each `wanted`; `weights` how much each counts. BadInput for none."""
    if not len(own):
        raise BadInput("There is no pair of colours to match by.")
    weight = np.ones(len(own)) if weights is None else weights / weights.mean()
    grade = _solved(own, wanted, np.sqrt(weight))
    # a pair that is far off all the others is a mistake of the hand: without it, once more
    if len(own) >= 4:
        off = np.abs(grade(own) - wanted).max(1)
        usual = 1.4826 * np.median(off) + NOISE
        keep = off < 6 * usual
        if not keep.all() and keep.sum() >= 3:
            grade = _solved(own[keep], wanted[keep], np.sqrt(weight[keep]))
    return _judged(grade, own, wanted)


def _solved(own: Array, wanted: Array, weight: Array, start: Cdl | None = None, steps: int = 80) -> Cdl:
    few = min(1.0, 3 / len(own))  # many colours need no pull

    def residuals(x: Array) -> Array:
        off = ((_of(x)(own) - wanted) * weight[:, None] / NOISE).ravel()
        soft = THRESHOLD / NOISE
        off = np.sign(off) * soft * np.sqrt(2 * (np.sqrt(1 + (off / soft) ** 2) - 1))
        apart = [x[i : i + 3] - x[i : i + 3].mean() for i in (0, 3, 6)]
        pull = np.concatenate([x / (PRIORS if len(own) >= 4 else TIGHT), *apart]) * few
        return np.concatenate([off, pull])

    first = np.zeros(10) if start is None else np.clip(_numbers(start), -0.99 * LIMIT, 0.99 * LIMIT)
    found = scipy.optimize.least_squares(residuals, first, method="trf", max_nfev=steps, bounds=(-LIMIT, LIMIT))
    return _of(found.x)


LIMIT = np.repeat([3.0, 1.0, 1.6, 1.6], [3, 3, 3, 1])


def from_clouds(own: Array, wanted: Array) -> Fitted:
    """The grade that brings one cloud of display colours (n, 3) to another (m, 3), which need not be of the same things. BadInput for too few."""
    if min(len(own), len(wanted)) < FEWEST_PIXELS:
        raise BadInput("There is too little of one of the two to match by.")
    own, wanted = _thinned(own), _thinned(wanted)
    a, b = _colours(own), _colours(wanted)
    starts = [_quantiles(own, wanted), _moments(own, wanted)]
    candidates = [*starts, *(_nearest(a, b, start) for start in starts)]
    best = min(candidates, key=lambda g: _apart(g(a[0]), b))
    before, after = _apart(a[0], b), _apart(best(a[0]), b)
    return Fitted(best, before, after) if after < before else Fitted(Cdl(), before, before)


Colours = tuple[Array, Array]  # (k, 3) colours that occur, and how much each counts


def _colours(cloud: Array) -> Colours:
    """A cloud by the colours that occur in it, rare ones nearly as much as common ones: how much there is of each is of what the picture shows,
    not of how it is graded."""
    cells = np.round(lab(cloud) / CELL).astype(int)
    _, of, count = np.unique(cells, axis=0, return_inverse=True, return_counts=True)
    of = of.ravel()
    means = np.stack([np.bincount(of, cloud[:, c]) for c in range(3)], 1) / count[:, None]
    keep = count >= max(2, LEAST_SHARE * len(cloud))
    return (means[keep], count[keep] ** 0.35) if keep.sum() >= 4 else (cloud, np.ones(len(cloud)))


def _nearest(a: Colours, b: Colours, start: Cdl) -> Cdl:
    """The grade under which each colour of the one lies near some colour of the other, and the other way about, found step by step from a start
    (iterated closest points, Besl and McKay 1992), far ones left out."""
    grade = start
    wanted = lab(b[0])
    tree = scipy.spatial.cKDTree(wanted)
    for _ in range(ROUNDS):
        made = lab(grade(a[0]))
        there, back = tree.query(made)[1], scipy.spatial.cKDTree(made).query(wanted)[1]
        own = np.concatenate([a[0], a[0][back]])
        other = np.concatenate([b[0][there], b[0]])
        off = np.concatenate(
            [np.linalg.norm(made - wanted[there], axis=1), np.linalg.norm(made[back] - wanted, axis=1)]
        )
        limit = 2.5 * np.median(off) + 1
        weight = np.concatenate([a[1] / a[1].sum(), b[1] / b[1].sum()]) * (1 - np.clip(off / limit, 0, 1) ** 2) ** 2
        keep = weight > 0
        grade = _solved(own[keep], other[keep], np.sqrt(weight[keep] / weight[keep].mean()), grade, 6)
    return grade


CELL, LEAST_SHARE, ROUNDS = 4.0, 4e-4, 12  # of Lab; of a cloud's pixels


def _quantiles(own: Array, wanted: Array) -> Cdl:
    """Tones by the quantiles of each channel, then saturation by how far colours lie from grey."""
    a, b = (np.percentile(v, QUANTILES, axis=0) for v in (own, wanted))
    weight = np.full(len(QUANTILES), 1 / len(QUANTILES))
    x = np.zeros(10)
    for c in range(3):
        x[[c, c + 3, c + 6]] = _curve(a[:, c], b[:, c], weight)
    for _ in range(3):
        saturation = float(np.exp(x[9]))
        made = _of(x)(own)
        spread = [np.median(np.linalg.norm(v - (v @ LUMA)[:, None], axis=1)) for v in (made, wanted)]
        if spread[0] < 1e-3:
            break
        step = np.clip(spread[1] / spread[0], 0.4, 2.5)
        x[9] = float(np.clip(np.log(saturation * step), -1.2, 1.2))
        # what saturation changed of each channel is taken out of its curve
        target = b.copy()
        drained = _of(x)(own)
        now = np.percentile(drained, QUANTILES, axis=0)
        for c in range(3):
            plain = np.percentile(_of(np.concatenate([x[:9], [0.0]]))(own)[:, c], QUANTILES)
            x[[c, c + 3, c + 6]] = _curve(a[:, c], target[:, c] - (now[:, c] - plain), weight)
    return _of(x)


def _curve(a: Array, b: Array, weight: Array) -> Array:
    """log slope, offset and log power of one channel."""

    def residuals(x: Array) -> Array:
        made = np.maximum(a * np.exp(x[0]) + x[1], 0) ** np.exp(x[2])
        return np.concatenate([(made - b) / NOISE * np.sqrt(weight), x / np.array([0.7, 0.12, 0.5])])

    bounds = ([-3, -1, -1.6], [3, 1, 1.6])
    return np.asarray(
        scipy.optimize.least_squares(residuals, np.zeros(3), loss="soft_l1", bounds=bounds, max_nfev=60).x
    )


def _moments(own: Array, wanted: Array) -> Cdl:
    """The grade nearest to what the linear Monge-Kantorovich map makes of the cloud."""
    mapped = monge_kantorovich(own, wanted)(own)
    few = slice(None, None, max(1, len(own) // 400))
    return _solved(own[few], mapped[few], np.ones(len(own[few])))


@dataclass(frozen=True)
class Linear:
    """v -> matrix (v - middle) + to."""

    matrix: Array
    middle: Array
    to: Array

    def __call__(self, v: Array) -> Array:
        return np.asarray((v - self.middle) @ self.matrix.T + self.to)


def monge_kantorovich(own: Array, wanted: Array) -> Linear:
    """The linear map of least way that gives one cloud the mean and covariance of another."""
    a, b = (np.cov(v.T) + 1e-6 * np.eye(3) for v in (own, wanted))

    def root(m: Array) -> Array:
        values, vectors = np.linalg.eigh(m)
        return np.asarray((vectors * np.sqrt(np.maximum(values, 1e-12))) @ vectors.T)

    half = root(a)
    back = np.linalg.inv(half)
    return Linear(back @ root(half @ b @ half) @ back, own.mean(0), wanted.mean(0))


def _thinned(v: Array, most: int = 20_000) -> Array:
    return v if len(v) <= most else v[np.linspace(0, len(v) - 1, most).astype(int)]


def _apart(a: Array, b: Colours) -> float:
    """How far colours lie from those of another cloud, and these from them, in Lab: however much there is of each."""
    made, wanted = lab(a), lab(b[0])
    there, back = scipy.spatial.cKDTree(wanted).query(made)[0], scipy.spatial.cKDTree(made).query(wanted)[0]
    return float(np.minimum(there, FAR).mean() + np.minimum(back, FAR).mean())


FAR = 25.0


def _judged(grade: Cdl, own: Array, wanted: Array) -> Fitted:
    before, after = (float(np.mean(difference(v, wanted))) for v in (own, grade(own)))
    return Fitted(grade, before, after) if after < before else Fitted(Cdl(), before, before)


def lab(display: NDArray[np.float64]) -> Array:
    """CIE L*a*b* (D65) of sRGB display values (..., 3)."""
    v = np.clip(display, 0, None)
    light = np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)
    xyz = light @ np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]]).T  # fmt: skip
    t = xyz / [0.95047, 1.0, 1.08883]
    f = np.where(t > 0.008856452, np.cbrt(t), t * 7.787037 + 16 / 116)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], -1)


def difference(a: Array, b: Array) -> Array:
    """CIEDE2000 (Sharma, Wu, Dalal 2005) of display colours (..., 3)."""
    (l1, a1, b1), (l2, a2, b2) = (np.moveaxis(lab(v), -1, 0) for v in (a, b))
    mean_c = (np.hypot(a1, b1) + np.hypot(a2, b2)) / 2
    g = 0.5 * (1 - np.sqrt(mean_c**7 / (mean_c**7 + 25.0**7)))
    a1, a2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = (np.degrees(np.arctan2(y, x)) % 360 for y, x in ((b1, a1), (b2, a2)))
    dl, dc = l2 - l1, c2 - c1
    dh = (h2 - h1 + 180) % 360 - 180
    dh = np.where(c1 * c2 == 0, 0, dh)
    dh_ = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    lm, cm = (l1 + l2) / 2, (c1 + c2) / 2
    hm = np.where(np.abs(h1 - h2) > 180, (h1 + h2 + 360) / 2, (h1 + h2) / 2)
    hm = np.where(c1 * c2 == 0, h1 + h2, hm)
    t = (
        1 - 0.17 * np.cos(np.radians(hm - 30)) + 0.24 * np.cos(np.radians(2 * hm)) + 0.32 * np.cos(np.radians(3 * hm + 6))
        - 0.20 * np.cos(np.radians(4 * hm - 63))
    )  # fmt: skip
    turn = 30 * np.exp(-(((hm - 275) / 25) ** 2))
    sl = 1 + 0.015 * (lm - 50) ** 2 / np.sqrt(20 + (lm - 50) ** 2)
    sc, sh = 1 + 0.045 * cm, 1 + 0.015 * cm * t
    rt = -2 * np.sqrt(cm**7 / (cm**7 + 25.0**7)) * np.sin(np.radians(2 * turn))
    return np.asarray(np.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (dh_ / sh) ** 2 + rt * dc / sc * dh_ / sh))
