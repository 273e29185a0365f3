"""Following a face: a mesh in every frame, carried by the picture's own motion so that a still face stays still.

The mesh alone jitters by a third of a per cent of the face's width. So every point is carried by optical flow and only pulled
gently towards the mesh, once forwards and once backwards, and the two are averaged: no lag, little noise. Lids, lips and irises,
which flow cannot follow through a blink, are pulled harder.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.ride import similarity
from tropein.core.errors import BadInput
from tropein.core.quiet import silenced
from tropein.core.track import face_mesh as fm
from tropein.core.track.close_up import close_up
from tropein.core.track.cuts import CUT, Cuts
from tropein.core.track.face_mesh import Mesh
from tropein.core.track.frames import ColourPictures
from tropein.core.track.identity import CERTAIN, Identity
from tropein.core.track.iris import refined

CROP = 2.6  # a crop is this many times the face's box
CROP_PX = 384
PULL, PULL_LIVELY = 0.08, 0.5
FLOW_ERROR_PX = 0.5
SEARCH_EVERY, LEARN_EVERY = 3, 8
MAX_JUMP = 0.8  # of the face's width: beyond it is another face
# the chance that the face is right to 3 % of the distance between the outer corners of its eyes, by how far mesh and carried points lie
# apart, as a share of that distance: logistic weights, fitted on every other frame by bench/face_track.py
LOGISTIC = (5.06, -90.8)
_LK: dict[str, Any] = {"winSize": (21, 21), "maxLevel": 3, "criteria": (3, 20, 0.02)}


@dataclass(frozen=True, eq=False)
class FaceFound:
    """The face in one frame; `mesh` (478, 3) is in full-size pixels (centres at + 0.5), z in the same unit."""

    frame: int
    mesh: Mesh | None
    confidence: float
    lost: bool
    reason: str = ""
    eye_open: tuple[float, float] = (0.0, 0.0)  # left, right
    mouth_open: float = 0.0


class Meshes:
    """Finds meshes in pictures; keeps the model loaded. Use as a context."""

    def __enter__(self) -> Meshes:
        from mediapipe.python.solutions.face_mesh import FaceMesh

        with silenced():
            self._one = FaceMesh(static_image_mode=True, max_num_faces=4, refine_landmarks=True)
            self._one.process(np.zeros((64, 64, 3), np.uint8))  # its models are loaded now, and say so now
        return self

    def __exit__(self, *problem: object) -> None:
        self._one.close()

    def within(self, picture: NDArray[np.uint8], box: tuple[float, float, float, float] | None = None) -> list[Mesh]:
        """All faces of a picture, or of a box (x0, y0, x1, y1) of it, enlarged when it is small."""
        seen = close_up(picture, box, CROP_PX)
        if seen is None:
            return []
        part, corner, (width, height) = seen
        with silenced():
            result = self._one.process(part)
        found = []
        for face in result.multi_face_landmarks or []:
            p = np.array([[q.x, q.y, q.z] for q in face.landmark]) * (width, height, width)
            found.append(p + [*corner, 0])
        return found

    def anywhere(self, picture: NDArray[np.uint8]) -> list[Mesh]:
        """Faces of the whole picture; small ones are looked for in enlarged parts that overlap. What is not found again
        when looked at closely was none."""
        found = [m for m in self.within(picture) if self._confirmed(picture, m)]
        if found:
            return found
        h, w = picture.shape[:2]
        for y in (0.0, 0.2, 0.4):
            for x in (0.0, 0.2, 0.4):
                part = (x * w, y * h, (x + 0.6) * w, (y + 0.6) * h)
                for mesh in [m for m in self.within(picture, part) if self._confirmed(picture, m)]:
                    if all(np.linalg.norm(mesh[:, :2].mean(0) - m[:, :2].mean(0)) > fm.width_px(m) for m in found):
                        found.append(mesh)
        return found

    def _confirmed(self, picture: NDArray[np.uint8], mesh: Mesh) -> bool:
        near = self.within(picture, box_of(mesh))
        gaps = [float(np.linalg.norm(m[:, :2] - mesh[:, :2], axis=1).mean()) for m in near]
        return min(gaps, default=np.inf) < 0.12 * fm.width_px(mesh)


def box_of(mesh: Mesh) -> tuple[float, float, float, float]:
    low, high = mesh[:, :2].min(0), mesh[:, :2].max(0)
    centre, half = (low + high) / 2, float((high - low).max()) * CROP / 2
    return (centre[0] - half, centre[1] - half, centre[0] + half, centre[1] + half)


def follow_face(
    pictures: ColourPictures, reference: int, span: tuple[int, int], near: tuple[float, float] | None = None,
    report: Callable[[FaceFound], None] = lambda found: None,
) -> dict[int, FaceFound]:  # fmt: skip
    """The face of the reference frame (the one nearest to `near`, else the largest) through first..last.

    `report` hears raw results as they come and may raise to stop. Raises BadInput when there is no face to begin with.
    """
    first, last = span
    if not 0 <= first <= reference <= last < len(pictures):
        raise BadInput("The reference frame must lie in the range, and the range in the clip.")
    with Meshes() as meshes:
        faces = meshes.anywhere(pictures.rgb(reference))
        if not faces:
            raise BadInput(
                f"No face was found at frame {reference}. Go to a frame in which the face is turned to the camera and not "
                "covered, and start there."
            )
        chosen = max(faces, key=fm.width_px)
        if near is not None:
            chosen = min(faces, key=lambda m: float(np.linalg.norm(m[:, :2].mean(0) - near)))
        chosen = refined(cv2.cvtColor(pictures.rgb(reference), cv2.COLOR_RGB2GRAY), chosen)
        raw = {reference: chosen}
        report(_heard(reference, chosen))
        cuts, cut = Cuts.of_colours(pictures.rgb), set[int]()
        for frames in (range(reference + 1, last + 1), range(reference - 1, first - 1, -1)):
            at, missing, who = chosen, 0, Identity(pictures.rgb(reference), chosen)
            for frame in frames:
                if cuts.between(frame, frame - frames.step):
                    for beyond in range(frame, frames.stop, frames.step):
                        report(_heard(beyond, None, CUT))
                        cut.add(beyond)
                    break
                mesh = _next(meshes, pictures.rgb(frame), at, missing, who)
                missing = 0 if mesh is not None else missing + 1
                if mesh is not None:
                    raw[frame] = at = refined(cv2.cvtColor(pictures.rgb(frame), cv2.COLOR_RGB2GRAY), mesh)
                    if (frame - reference) % LEARN_EVERY == 0:
                        who.learn(pictures.rgb(frame), mesh)
                report(_heard(frame, mesh))
    fused = _fused(pictures, raw, first, last)
    return {f: replace(found, reason=CUT) if f in cut else found for f, found in fused.items()}


def _heard(frame: int, mesh: Mesh | None, why: str = "no face to be seen") -> FaceFound:
    lost = mesh is None
    return FaceFound(frame, mesh, 0.0 if lost else 0.9, lost, why if lost else "")


def _next(meshes: Meshes, picture: NDArray[np.uint8], at: Mesh, missing: int, who: Identity) -> Mesh | None:
    """The same face in the next picture: near where it was, or, once it was lost, anywhere if it looks like it."""
    found = meshes.within(picture, box_of(at))
    if missing and missing % SEARCH_EVERY == 0:
        found += [m for m in meshes.anywhere(picture) if all(_apart(m, n) > 0.5 * fm.width_px(n) for n in found)]
    width = fm.width_px(at)
    found = sorted((m for m in found if 0.6 < fm.width_px(m) / width < 1.6 or missing > 4), key=lambda m: _apart(m, at))
    near = [m for m in found if _apart(m, at) < MAX_JUMP * (1 + 0.5 * missing) * width]
    mesh = who.chosen(picture, near, missing > 0)
    if mesh is not None or not missing:
        return mesh
    alike = [m for m in found if who.likeness(picture, m) > CERTAIN]
    return max(alike, key=lambda m: who.likeness(picture, m), default=None)


def _apart(a: Mesh, b: Mesh) -> float:
    return float(np.linalg.norm(a[:, :2].mean(0) - b[:, :2].mean(0)))


def _fused(pictures: ColourPictures, raw: dict[int, Mesh], first: int, last: int) -> dict[int, FaceFound]:
    """Raw meshes with flow, forwards and backwards, averaged; measures that belong to the whole shot."""
    pull = np.full(fm.COUNT, PULL)
    pull[list(fm.LIVELY)] = PULL_LIVELY
    forward: dict[int, Mesh] = {}
    backward: dict[int, Mesh] = {}
    doubt: dict[int, float] = {}
    grey = cv2.cvtColor(pictures.rgb(first), cv2.COLOR_RGB2GRAY)
    for frame in range(first, last + 1):
        now = cv2.cvtColor(pictures.rgb(frame), cv2.COLOR_RGB2GRAY)
        if frame in raw:
            before = forward.get(frame - 1)
            if before is None:
                forward[frame] = raw[frame]
            else:
                carried, good = _carry(grey, now, before)
                forward[frame] = _pulled(carried, good, before, raw[frame], pull)
                doubt[frame] = float(
                    np.linalg.norm(carried[good] - raw[frame][good, :2], axis=1).mean() if good.any() else 9.9
                )
        grey = now
    later = None
    for frame in range(last, first - 1, -1):
        now = cv2.cvtColor(pictures.rgb(frame), cv2.COLOR_RGB2GRAY)
        if frame in raw:
            after = backward.get(frame + 1)
            if after is None or later is None:
                backward[frame] = raw[frame]
            else:
                carried, good = _carry(later, now, after)
                backward[frame] = _pulled(carried, good, after, raw[frame], pull)
        later = now
    return _measured(raw, forward, backward, doubt, first, last)


def _carry(before: NDArray[np.uint8], after: NDArray[np.uint8], mesh: Mesh) -> tuple[NDArray[Any], NDArray[Any]]:
    """The mesh's points (n, 2) moved by flow, and which of them came back when flowed back."""
    p = (mesh[:, :2] - 0.5).astype(np.float32).reshape(-1, 1, 2)
    q, ok, _ = cv2.calcOpticalFlowPyrLK(before, after, p, None, **_LK)
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(after, before, q, None, **_LK)
    error = np.linalg.norm(back - p, axis=2)[:, 0]
    return q[:, 0].astype(np.float64) + 0.5, (ok[:, 0] == 1) & (ok2[:, 0] == 1) & (error < FLOW_ERROR_PX)


def _pulled(carried: NDArray[Any], good: NDArray[Any], before: Mesh, mesh: Mesh, pull: NDArray[Any]) -> Mesh:
    """Carried points pulled towards the mesh; where flow failed, carried by the similarity of those where it did not.
    What flow would throw far from the mesh is believed to the mesh."""
    place = carried.copy()
    if good.sum() >= 20:
        m = similarity(before[good, :2], carried[good])
        place[~good] = before[~good, :2] @ m[:2, :2].T + m[:2, 2]
    else:
        place = mesh[:, :2].copy()
    off = np.linalg.norm(place - mesh[:, :2], axis=1) > 0.12 * fm.width_px(mesh)
    k = np.where(off, 0.6, pull)[:, None]
    depth = before[:, 2:] + 0.2 * (mesh[:, 2:] - before[:, 2:])
    return np.c_[place + k * (mesh[:, :2] - place), depth]


def _measured(
    raw: dict[int, Mesh],
    forward: dict[int, Mesh],
    backward: dict[int, Mesh],
    doubt: dict[int, float],
    first: int,
    last: int,
) -> dict[int, FaceFound]:
    seen = sorted(raw)
    left = fm.openness(np.array([fm.opening(raw[f], fm.LEFT_EYE) for f in seen]))
    right = fm.openness(np.array([fm.opening(raw[f], fm.RIGHT_EYE) for f in seen]))
    mouth = np.array([fm.opening(raw[f], fm.MOUTH) for f in seen])
    index = {f: i for i, f in enumerate(seen)}
    out = {}
    for frame in range(first, last + 1):
        if frame not in raw:
            out[frame] = FaceFound(frame, None, 0.0, True, "no face to be seen")
            continue
        i = index[frame]
        mesh = (forward[frame] + backward[frame]) / 2
        off = doubt.get(frame, doubt.get(frame + 1, 0.0)) / fm.width_px(mesh)
        confidence = float(1 / (1 + np.exp(-(LOGISTIC[0] + LOGISTIC[1] * off))))
        out[frame] = FaceFound(
            frame, mesh, confidence, False, "the mesh and the picture's motion disagree" if confidence < 0.5 else "",
            (float(left[i]), float(right[i])), float(np.clip(mouth[i] / 0.7, 0, 1)),
        )  # fmt: skip
    return out
