"""Cut-outs against known alpha: strokes on one frame (put where the truth says the result is worst, as a patient user would),
carried through 54 frames; beside them flow and GrabCut frame by frame.

Run: ./tropein python -m bench.cutouts [--turning] [--fresh]
"""

from __future__ import annotations

import contextlib
import sys
import time

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.objects import KINDS, ObjectScene, colours, make
from tropein.core.matte.cutout import Stroke
from tropein.core.pieces.carry import Carry, _Small, carry

COUNT, MOST_STROKES, ENOUGH = 54, 10, 0.975


def iou(a: NDArray, b: NDArray) -> float:
    return float((a & b).sum() / max((a | b).sum(), 1))


def boundary_px(a: NDArray, b: NDArray) -> float:
    """Mean distance between the outlines of two masks, both ways."""
    out = []
    for one, other in ((a, b), (b, a)):
        edge = one & ~cv2.erode(np.uint8(one), np.ones((3, 3))).astype(bool)
        theirs = other & ~cv2.erode(np.uint8(other), np.ones((3, 3))).astype(bool)
        far = cv2.distanceTransform(np.uint8(~theirs), cv2.DIST_L2, 5)
        out.append(float(far[edge].mean()) if edge.any() else 99.0)
    return float(np.mean(out))


def strokes_for(scene: ObjectScene) -> list[Stroke]:
    """A stroke in the middle of the thing and one beside it, then more where the first frame is most wrong."""
    truth = scene.alphas[0] > 0.5
    strokes = [
        _stroke(truth, True),
        _stroke(cv2.dilate(np.uint8(truth), np.ones((61, 61))).astype(bool) & ~truth, False),
    ]
    small = _Small(Carry(scene.rgb, scene.size, (0, 0), {0: strokes}))
    for _ in range(MOST_STROKES - 2):
        got = cv2.resize(np.uint8(small.settled(0)), scene.size, interpolation=cv2.INTER_NEAREST).astype(bool)
        if iou(got, truth) > ENOUGH:
            break
        missed, extra = truth & ~got, got & ~truth
        strokes.append(_stroke(missed if missed.sum() > extra.sum() else extra, missed.sum() > extra.sum()))
    return strokes


def _stroke(where: NDArray, keep: bool) -> Stroke:
    """A short line through the thickest part of an area."""
    far = cv2.distanceTransform(np.uint8(where), cv2.DIST_L2, 5)
    y, x = np.unravel_index(int(np.argmax(far)), far.shape)
    r = float(far[y, x])
    return Stroke(keep, ((x - 0.4 * r + 0.5, y + 0.5), (x + 0.4 * r + 0.5, y + 0.5)), max(2.0, 0.8 * r))


def per_frame(scene: ObjectScene, first: NDArray) -> list[NDArray]:
    """Plain flow brings the mask along; GrabCut settles each frame in a band around it."""
    masks = [first]
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    x, y = np.meshgrid(np.arange(scene.size[0], dtype=np.float32), np.arange(scene.size[1], dtype=np.float32))
    for i in range(1, len(scene)):
        flow = dis.calc(scene.frame(i), scene.frame(i - 1), None)
        warped = cv2.remap(np.float32(masks[-1]), x + flow[..., 0], y + flow[..., 1], cv2.INTER_LINEAR) > 0.5
        labels = np.where(warped, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
        labels[cv2.erode(np.uint8(warped), np.ones((25, 25))) > 0] = cv2.GC_FGD
        labels[cv2.dilate(np.uint8(warped), np.ones((25, 25))) == 0] = cv2.GC_BGD
        with contextlib.suppress(cv2.error):  # nothing of it left
            cv2.grabCut(scene.rgb(i), labels, None, np.zeros((1, 65)), np.zeros((1, 65)), 2, cv2.GC_INIT_WITH_MASK)
        masks.append(np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD)))
    return masks


def flicker(masks: list[NDArray], truths: list[NDArray]) -> float:
    """How much of the outline's error changes from frame to frame, in pixels of area per pixel of outline."""
    wrong = [m.astype(np.int8) - t.astype(np.int8) for m, t in zip(masks, truths, strict=True)]
    length = np.mean([np.count_nonzero(t & ~cv2.erode(np.uint8(t), np.ones((3, 3))).astype(bool)) for t in truths])
    return float(np.mean([np.count_nonzero(a != b) for a, b in zip(wrong, wrong[1:], strict=False)]) / length)


def main() -> None:
    turning = "--turning" in sys.argv  # things whose other sides come into view
    fresh = "--fresh" in sys.argv  # scenes that nothing was set on
    found = colours()
    names = list(found)
    print("| thing, seed | strokes | mean IoU | least IoU | outline px | flicker | flow + GrabCut: mean IoU | outline px | flicker | ours ms a frame | theirs |")  # fmt: skip
    print("| --- | --- | --- | --- | --- | --- | --- | --- | --- | --- | --- |")
    rows = []
    for seed in range(910, 918) if fresh else range(5):
        kind = KINDS[seed % 2] if turning else "blob"
        skin, wall = seed % 6, seed + (1 + seed % 4 if fresh else 2 + seed % 3)
        number = seed if fresh else 300 + seed
        scene = make(kind, found[names[skin]], found[names[wall % 6]], number, COUNT, passing=False)
        truths = [a > 0.5 for a in scene.alphas]
        strokes = strokes_for(scene)
        began = time.perf_counter()
        got = carry(Carry(scene.rgb, scene.size, (0, COUNT - 1), {0: strokes}))
        mine_s = time.perf_counter() - began
        masks = [got[i] > 127 for i in range(COUNT)]
        began = time.perf_counter()
        theirs = per_frame(scene, masks[0])
        their_s = time.perf_counter() - began
        scores = [iou(m, t) for m, t in zip(masks, truths, strict=True)]
        row = [len(strokes), np.mean(scores), min(scores), np.mean([boundary_px(m, t) for m, t in zip(masks, truths, strict=True)]),
               flicker(masks, truths), np.mean([iou(m, t) for m, t in zip(theirs, truths, strict=True)]),
               np.mean([boundary_px(m, t) for m, t in zip(theirs, truths, strict=True)]), flicker(theirs, truths),
               mine_s / COUNT * 1e3, their_s / COUNT * 1e3]  # fmt: skip
        rows.append(row)
        print(f"| {kind}, {seed} | {row[0]} | " + " | ".join(f"{v:.3f}" for v in row[1:8]) + f" | {row[8]:.0f} | {row[9]:.0f} |", flush=True)  # fmt: skip
    worst = np.array(rows)
    print(f"| worst | {worst[:, 0].max():.0f} | {worst[:, 1].min():.3f} | {worst[:, 2].min():.3f} | {worst[:, 3].max():.3f} | {worst[:, 4].max():.3f} | {worst[:, 5].min():.3f} | {worst[:, 6].max():.3f} | {worst[:, 7].max():.3f} | {worst[:, 8].max():.0f} | {worst[:, 9].max():.0f} |")  # fmt: skip


if __name__ == "__main__":
    main()
