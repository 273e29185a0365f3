"""Sample spots: where they lie, what their rides do, and what becomes of them."""

from __future__ import annotations

import numpy as np
import pytest

from tests.core.test_commands import layer, with_tracks
from tropein.core.animate.ride import Path
from tropein.core.commands import do
from tropein.core.compose.places import Places
from tropein.core.compose.ride_matrices import ride_matrices
from tropein.core.document import Shot
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput
from tropein.core.raster.warp import apply


def held(**more: object) -> Shot:
    made = with_tracks(layer("plate")).model_dump(mode="json")
    made["spots"] = {"s": {"id": "s", "name": "Spot 1", "at": [10.0, 20.0], **more}}
    return load_shot(made)


def nothing(name: str, spot: str = "") -> Path | None:
    return None


def test_a_spot_goes_where_its_track_goes_and_stays_when_that_goes() -> None:
    ride = {"track": "nail", "reference_frame": 2}
    shot = held(ride=ride)
    assert "spot:s" in ride_matrices(Places(shot, nothing), 5)
    assert not any(k.startswith("spot:") for k in ride_matrices(Places(held(), nothing), 5))
    frames = np.arange(10.0)
    path = Path(frames, np.stack([3 * frames, frames], 1)[:, None], np.ones(10, bool))

    def paths(name: str, spot: str = "") -> Path | None:
        return path

    made = shot.model_dump(mode="json")
    made["tracks"]["nail"]["samples"] = "0" * 32
    followed = ride_matrices(Places(load_shot(made), paths), 6)["spot:s"]
    assert followed is not None and apply(followed, np.array([[10.0, 20.0]]))[0] == pytest.approx([22.0, 24.0])
    tied, _, change = do(held(), "ride", {"at": "spots/s/ride", "track": "nail", "frame": 3})
    assert (
        change.label == "let Spot 1 ride on Nail" and tied.spots["s"].ride and tied.spots["s"].ride.reference_frame == 3
    )
    # the track goes: the spot stays where it was
    without = do(shot, "remove-tracks", {"tracks": ["nail"]})[0]
    assert without.spots["s"].ride is None and without.spots["s"].at == (10.0, 20.0)


def test_documents_of_before_have_none_and_what_points_nowhere_is_refused() -> None:
    old = with_tracks(layer("plate")).model_dump(mode="json")
    del old["spots"]
    assert load_shot(old).spots == {}
    with pytest.raises(BadInput, match="spot Spot 1"):
        held(ride={"track": "none"})
    made = held().model_dump(mode="json")
    made["spots"]["s"]["id"] = "other"
    with pytest.raises(BadInput, match="carries the id"):
        load_shot(made)
