"""Structure from motion on key frames: our tracks written for pycolmap, its mappers run, the result read back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

PAIR_GAPS = (1, 2, 3, 5, 8, 12)
MIN_COMMON = 20


def write_database(
    pycolmap: Any, path: Path, tracks: NDArray[Any], keys: list[int], size: tuple[int, int], focal: float, known: bool
) -> None:
    db = pycolmap.Database.open(str(path))
    camera = pycolmap.Camera.create_from_model_name(1, "SIMPLE_PINHOLE", focal, *size)
    camera.has_prior_focal_length = known
    db.write_camera(camera, use_camera_id=True)
    rig = pycolmap.Rig()
    rig.rig_id = 1
    rig.add_ref_sensor(camera.sensor_id)
    db.write_rig(rig, use_rig_id=True)
    seen = []
    for n, key in enumerate(keys, 1):
        here = np.flatnonzero(~np.isnan(tracks[:, key, 0]))
        image = pycolmap.Image()
        image.name, image.camera_id, image.image_id = f"{n:05d}", 1, n
        db.write_image(image, use_image_id=True)
        frame = pycolmap.Frame()
        frame.frame_id, frame.rig_id = n, 1
        frame.add_data_id(image.data_id)
        db.write_frame(frame, use_frame_id=True)
        db.write_keypoints(n, np.ascontiguousarray(tracks[here, key], np.float32))
        seen.append({int(t): i for i, t in enumerate(here)})
    options = pycolmap.TwoViewGeometryOptions()
    options.ransac.max_error = 2
    options.ransac.random_seed = 0
    options.detect_watermark = False
    for gap in PAIR_GAPS:
        for a in range(len(keys) - gap):
            b = a + gap
            common = sorted(seen[a].keys() & seen[b].keys())
            if len(common) < MIN_COMMON:
                continue
            matches = np.array([[seen[a][t], seen[b][t]] for t in common], np.uint32)
            p, q = (np.ascontiguousarray(tracks[common, keys[k]], np.float64) for k in (a, b))
            pairs = np.stack([np.arange(len(common))] * 2, 1).astype(np.uint32)
            geometry = pycolmap.estimate_two_view_geometry(camera, p, camera, q, pairs, options)
            kept = np.asarray(geometry.inlier_matches)
            if len(kept) < 15:
                continue
            geometry.inlier_matches = matches[kept[:, 0]]
            db.write_matches(a + 1, b + 1, matches)
            db.write_two_view_geometry(a + 1, b + 1, geometry)
    db.close()


def largest_model(pycolmap: Any, folder: Path, known: bool) -> Any | None:
    """The largest model, by global mapping, else by growing one image at a time."""
    database = str(folder / "points.db")
    options = pycolmap.GlobalPipelineOptions()
    options.random_seed = 0
    options.mapper.bundle_adjustment.refine_focal_length = not known
    grown = pycolmap.IncrementalPipelineOptions()
    grown.random_seed = 0
    grown.ba_refine_focal_length = not known
    for map_, chosen in ((pycolmap.global_mapping, options), (pycolmap.incremental_mapping, grown)):
        out = folder / map_.__name__
        out.mkdir()
        try:
            models = map_(database, str(folder), str(out), chosen)
        except RuntimeError:
            continue
        best = max(models.values(), key=lambda m: m.num_reg_images(), default=None)
        if best is not None and best.num_reg_images() >= 4 and len(best.points3D) >= 20:
            return best
    return None


def poses_and_points(model: Any, tracks: NDArray[Any], keys: list[int]) -> tuple[NDArray[Any], NDArray[Any]]:
    """Poses of key frames and 3D points, in the order of the tracks; NaN where there are none."""
    poses = np.full((tracks.shape[1], 3, 4), np.nan)
    points = np.full((len(tracks), 3), np.nan)
    for image in model.images.values():
        if not image.has_pose:
            continue
        key = keys[int(image.name) - 1]
        poses[key] = image.cam_from_world().matrix()
        here = np.flatnonzero(~np.isnan(tracks[:, key, 0]))
        for i, point in enumerate(image.points2D):
            if point.has_point3D():
                points[here[i]] = model.points3D[point.point3D_id].xyz
    return poses, points
