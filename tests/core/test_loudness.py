"""How loud a sound is while each frame shows, and keys by it."""

from __future__ import annotations

import wave
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.core.test_commands import layer, with_tracks
from tropein.core.animate.sample import sample
from tropein.core.commands import do
from tropein.core.errors import BadInput, MediaError
from tropein.core.media.loudness import SILENT_DB, loudness

HZ = 48_000


def spoken(folder: Path, *parts: tuple[float, float, float], seconds: float = 4.0) -> Path:
    """Hums of so much, from one second to another."""
    t = np.arange(int(seconds * HZ)) / HZ
    level = sum((amount * ((t >= a) & (t < b)) for a, b, amount in parts), np.zeros_like(t))
    data = np.round(level * np.sin(2 * np.pi * 110 * t) * 32767).astype("<i2")
    with wave.open(str(folder / "voice.wav"), "wb") as out:
        out.setnchannels(2)
        out.setsampwidth(2)
        out.setframerate(HZ)
        out.writeframes(np.repeat(data, 2).tobytes())
    return folder / "voice.wav"


def test_levels_are_those_of_the_sound_while_each_frame_shows(tmp_path: Path) -> None:
    wav = spoken(tmp_path, (1.0, 2.0, 0.5), (3.0, 3.5, 0.05))
    level = loudness(wav, Fraction(24), 120)
    assert level[30:46] == pytest.approx(20 * np.log10(0.5 / np.sqrt(2)), abs=0.3)
    assert level[:23].max() == SILENT_DB and level[24] > -12  # it begins with the word
    assert level[75:82] == pytest.approx(-29.0, abs=0.4)
    assert (np.diff(level[49:60]) >= -5.01).all() and level[
        -10:
    ].max() <= SILENT_DB + 1  # and dies away; nothing after its end
    assert np.abs(loudness(wav, Fraction(24), 60, 1.0)[:20] - level[24:44]).max() < 0.5
    with pytest.raises(MediaError):
        loudness(tmp_path / "none.wav", Fraction(24), 10)


def test_a_number_is_keyed_by_them_and_only_there(tmp_path: Path) -> None:
    levels = loudness(spoken(tmp_path, (1.0, 2.0, 0.5), (3.0, 3.5, 0.4)), Fraction(24), 96).tolist()
    opacity = {"value": 0.5, "keys": [{"frame": 4, "value": 0.3}, {"frame": 150, "value": 0.9}]}
    shot = with_tracks(layer("a", opacity=opacity))
    given = {"at": "layers/a/opacity", "sound": "Voice", "first": 2, "levels": levels, "quiet": 0.0, "loud": 0.8}
    after, _, change = do(shot, "keys-by-loudness", given)
    found = after.layers["a"].opacity
    assert "Voice" in change.label and [k.frame for k in found.keys][-1] == 150 and 6 <= len(found.keys) < 24
    said = [sample(found, f) for f in range(2, 98)]
    assert max(said[:20]) < 0.02 and min(said[27:45]) > 0.78 and max(said[60:70]) < 0.02 and min(said[74:82]) > 0.7
    with pytest.raises(BadInput, match="as loud all the time"):
        do(shot, "keys-by-loudness", given | {"levels": [-20.0] * 50})
    with pytest.raises(BadInput, match="none"):
        do(shot, "keys-by-loudness", given | {"at": "layers/a/place/position"})
