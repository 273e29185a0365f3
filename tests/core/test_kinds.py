"""Kinds are files: one of each is dropped into a copy of the package, and is there with no other line changed."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

from launch.paths import ROOT
from numba.core.caching import _CacheLocator

FILES = {
    "effects/halve.py": '''
from typing import Literal
from pydantic import ConfigDict
from tropein.core.document import AnimatedNumber, EffectBase, control
from tropein.core.effects.registry import effect
from tropein.core.raster.picture import Picture

def _apply(picture, values, scale):
    pixels = picture.pixels.copy()
    pixels[..., :3] *= values["share"]
    return Picture(pixels, picture.window)

@effect(_apply)
class Halve(EffectBase):
    """Dims."""
    model_config = ConfigDict(title="Halve")
    kind: Literal["halve"] = "halve"
    share: AnimatedNumber = control(0.5, "Share", soft=(0, 1))
''',
    "contents/dot.py": '''
from typing import ClassVar, Literal
import numpy as np
from tropein.core.document import AnimatedNumber, control
from tropein.core.document.content import CONTENTS, ContentBase
from tropein.core.raster.picture import Picture

@CONTENTS.add
class Dot(ContentBase):
    """A white dot in the middle."""
    title: ClassVar[str] = "Dot"
    kind: Literal["dot"] = "dot"
    radius: AnimatedNumber = control(20.0, "Radius", soft=(0, 400), unit="px")

    def picture(self, context):
        return context.drawn(self)

    def draw(self, values, window, scale):
        y, x = np.mgrid[window.y0:window.y1, window.x0:window.x1] + 0.5
        w, h = window.width, window.height
        inside = np.hypot(x - w / 2, y - h / 2) < values["radius"] * scale
        return Picture(np.repeat(inside[..., None], 4, 2).astype(np.float32), window)
''',
    "meets/double.py": '''
from typing import ClassVar, Literal
from tropein.core.animate.sample import sample
from tropein.core.document import AnimatedNumber, control
from tropein.core.document.meet import MEETS, MeetBase
from tropein.core.raster.picture import Picture

@MEETS.add
class Twice(MeetBase):
    """Twice as bright."""
    title: ClassVar[str] = "Twice"
    kind: Literal["twice"] = "twice"
    by: AnimatedNumber = control(2.0, "By", soft=(0, 4))

    def over(self, picture, meeting):
        by = sample(self.by, meeting.frame)
        return meeting.step("twice", by, (picture,), lambda p: Picture(p.pixels * [by, by, by, 1], p.window))
''',
    "movers/step.py": '''
from typing import ClassVar, Literal
from tropein.core.document.mover import MOVERS, MoverBase, setting

@MOVERS.add
class Step(MoverBase):
    """Goes up by so much a frame."""
    title: ClassVar[str] = "Step"
    kind: Literal["step"] = "step"
    by: float = setting(1.0, "by")

    def moved(self, numbers, frame, sampler):
        return tuple(n + self.by * frame for n in numbers)
''',
    "commands/hide.py": '''
from typing import ClassVar
from tropein.core.commands.common import Layers, known, named
from tropein.core.commands.registry import Change, Command, command

@command
class Hide(Command):
    """Hides layers."""
    name: ClassVar[str] = "hide"
    title: ClassVar[str] = "Hide"
    layers: Layers

    def run(self, shot, document):
        for layer in known(shot, "layers", self.layers):
            document["layers"][layer]["visible"] = False
        return Change(f"hide {named(shot, self.layers)}")
''',
    "pieces/stripes.py": '''
from typing import ClassVar, Literal
import numpy as np
from tropein.core.animate.sample import sample
from tropein.core.compose.step import step
from tropein.core.document import PIECES, AnimatedNumber, PieceBase, control
from tropein.core.raster.coverage import Coverage

@PIECES.add
class Stripes(PieceBase):
    """The left part of the frame."""
    title: ClassVar[str] = "Left part"
    kind: Literal["left"] = "left"
    share: AnimatedNumber = control(0.5, "Share", soft=(0, 1))

    def coverage(self, on, frame):
        share, window = sample(self.share, frame), on.window
        def make():
            x = np.arange(window.x0, window.x1) < share * window.width
            return Coverage(np.repeat(x[None].astype(np.float32), window.height, 0), window)
        return step("left", (share, window), (), make)
''',
    "tracks/drift.py": '''
from typing import ClassVar, Literal
from tropein.core.document import TRACKS, TrackBase, Vec2
from tropein.core.track.forms.point import PointFile, PointSample
from tropein.core.track.job import Measured

@TRACKS.add
class DriftTrack(TrackBase):
    """Goes right by a pixel a frame, whatever is seen."""
    title: ClassVar[str] = "Drift"
    begins: ClassVar[str] = "click"
    directed: ClassVar[bool] = False
    kind: Literal["drift"] = "drift"
    start: Vec2 = (0.0, 0.0)

    def measure(self, job):
        rows = [PointSample(frame=f, confidence=1, lost=False, points=[(self.start[0] + f, self.start[1])], point_confidence=[1]) for f in range(job.span[0], job.span[1] + 1)]
        return Measured(PointFile(**job.head(""), frames=rows))
''',
    "match/brightness.py": '''
from typing import ClassVar, Literal
from tropein.core.match.measure import MEASURES, Fix, MeasureBase

@MEASURES.add
class Brightness(MeasureBase):
    """How much brighter it is than a quarter."""
    title: ClassVar[str] = "Brightness"
    act: ClassVar[str] = "Dim it"
    visible_from: ClassVar[float] = 0.1
    kind: Literal["brightness"] = "brightness"

    def measure(self, seen, frame):
        planner = seen.renderer.planner(seen.shot)
        top = float(seen.renderer.run(planner.layer(seen.layer, frame)).pixels[..., :3].max()) - 0.25
        return top, f"It is {top:.2f} over a quarter."

    def fix(self, seen, frame, off):
        return Fix(label="dim", patch=seen.layer.opacity.set_at(f"/layers/{seen.layer.id}/opacity", frame, 0.5))
''',
    "interchange/words.py": '''
from typing import ClassVar, Literal
from tropein.core.interchange.form import FORMS, FormBase

@FORMS.add
class Words(FormBase):
    """A sentence."""
    title: ClassVar[str] = "Words"
    writes: ClassVar[dict[str, str]] = {".txt": "in words"}
    kind: Literal["words"] = "words"

    def write(self, file, extension, world=None):
        return f"{len(file.frames)} frames".encode()
''',
    "../app/jobs/work/count.py": '''
from typing import ClassVar, Literal
from tropein.app.jobs.kind import WORKS, Begun, WorkBase
from tropein.app.jobs.outcome import Ended, Outcome

@WORKS.add
class Count(WorkBase):
    """Counts up to a number."""
    title: ClassVar[str] = "Count"
    kind: Literal["count"] = "count"
    to: int

    def begin(self, session):
        return Begun(f"Count to {self.to}", self.to)

    def run(self, context, run_id):
        return Outcome(lambda session: Ended({"sum": sum(range(self.to + 1))}))
''',
}  # fmt: skip

SCRIPT = """
import json, sys
import numpy as np
from tropein.app.api.about import about
from tropein.core.commands import do
from tropein.core.compose.render import Renderer
from tropein.core.document.upgrade import load_shot
from tropein.core.interchange.form import writing
from tropein.core.match.measure import read
from tropein.core.track.job import Job
from tropein.app.jobs.kind import wanted

told = about()
constant = lambda v, **more: {"value": v, **more}
dot = {"id": "d", "name": "d", "content": {"kind": "dot"}, "place": {"position": constant([32, 18])}, "effects": {"e": {"kind": "halve", "id": "e"}}, "chain": ["e"],
       "meets": {"m": {"kind": "twice", "id": "m", "by": constant(3.0)}}, "meeting": ["m"],
       "opacity": constant(1.0)}
dot["place"]["position"] |= {"movers": {"s": {"kind": "step", "id": "s", "by": 2.0}}, "moving": ["s"]}
document = {"schema_version": 3, "name": "k", "size": [64, 36], "rate": "24/1", "frames": 9, "trim": [0, 8], "layers": {"d": dot}, "stack": ["d"]}
document["layers"]["d"]["content"]["radius"] = constant(5.0)
track = {"kind": "drift", "id": "t", "name": "t", "footage": "f", "start": [3, 4]}
document["footage"] = {"f": {"id": "f", "name": "f", "kind": "clip", "media": "0" * 32, "size": [64, 36], "rate": "24/1", "frames": 9}}
document["tracks"] = {"t": track}
document["mattes"] = {"m": {"id": "m", "name": "m", "pieces": {"l": {"kind": "left", "id": "l", "name": "l", "share": constant(0.25)}}, "order": ["l"]}}
shot = load_shot(document)
drift = shot.tracks["t"].measure(Job(None, shot.footage["f"], shot.tracks["t"], (0, 8))).file
assert load_shot(shot.model_dump(mode="json")) == shot
renderer = Renderer(None, lambda *_: None, 1 << 20)
def drawn(s, f):
    return renderer.frame(s, f).fill(renderer.planner(s).frame_window)
first, later = drawn(shot, 0), drawn(shot, 4)
ys, xs = np.nonzero(later[..., 3] > 0.5)
left = renderer.matte(shot, "m", 0, 1.0).plane
measured = read(renderer, shot, "d", "brightness", 0)
hidden, _, change = do(shot, "hide", {"layers": ["d"]})
print(json.dumps({
    "effects": [e.kind for e in told.effects], "contents": [c.kind for c in told.contents], "meets": [m.kind for m in told.meets],
    "movers": [m.kind for m in told.movers], "commands": [c.name for c in told.commands],
    "middle": float(first[18, 32, 0]), "at": [float(xs.mean()) + 0.5, float(ys.mean()) + 0.5], "hidden": float(drawn(hidden, 0).max()), "label": change.label,
    "pieces": [p.kind for p in told.pieces], "tracks": [t.kind for t in told.tracks if not t.directed], "measures": [m.kind for m in told.measures],
    "works": [w.kind for w in told.works], "forms": [f.kind for f in told.forms],
    "left": float(left.mean()), "path": drift.path().at(5.0).tolist(), "off": measured.off, "fix": measured.fix.patch,
    "words": writing(".txt", "point").write(drift, ".txt").decode(), "count": wanted("count", "s", {"to": 4}).run(None, "r").store(None).result,
    "params": [p.name for c in told.contents if c.kind == "dot" for p in c.params],
}))
"""


def with_kinds(folder: Path) -> dict[str, str]:
    """A copy of the package with all of them dropped in; the environment that has it used."""
    shutil.copytree(ROOT / "src", folder / "src", ignore=shutil.ignore_patterns("__pycache__", "*.egg-info"))
    for name, source in FILES.items():
        (folder / "src" / "tropein" / "core" / name).write_text(source)
    ours, theirs = Path(os.environ.get("NUMBA_CACHE_DIR", "none")), folder / "numba"
    if ours.is_dir():
        shutil.copytree(ours, theirs)
    rooms = {room: folder / "src" / room.relative_to(ROOT / "src") for room in (ROOT / "src").rglob("*/")}
    for room, copy in {
        **rooms,
        ours / "rows": theirs / "rows",
    }.items():  # compiled kernels are kept by where their source lies
        compiled = ours / _CacheLocator.get_suitable_cache_subpath(str(room / "a.py"))
        if compiled.is_dir():
            shutil.copytree(compiled, theirs / _CacheLocator.get_suitable_cache_subpath(str(copy / "a.py")))
    return {"PYTHONPATH": os.pathsep.join([str(folder / "src"), str(ROOT)]), "NUMBA_CACHE_DIR": str(theirs)}


def test_a_kind_of_each_family_is_one_file(tmp_path: Path) -> None:
    env = {**os.environ, **with_kinds(tmp_path)}
    done = subprocess.run(
        [sys.executable, "-c", SCRIPT], env=env, capture_output=True, text=True, cwd=tmp_path, check=False
    )
    assert done.returncode == 0, done.stderr[-3000:]
    told = json.loads(done.stdout.splitlines()[-1])
    for family, kind in (
        ("effects", "halve"),
        ("contents", "dot"),
        ("meets", "twice"),
        ("movers", "step"),
        ("commands", "hide"),
        ("pieces", "left"),
        ("tracks", "drift"),
        ("measures", "brightness"),
        ("works", "count"),
        ("forms", "words"),
    ):
        assert kind in told[family], family
    assert told["params"] == ["radius"]
    assert abs(told["middle"] - 1.5) < 1e-5  # a white dot, halved, and three times as bright
    assert abs(told["at"][0] - 40) < 0.1 and abs(told["at"][1] - 26) < 0.1  # moved by two pixels a frame, both ways
    assert told["hidden"] == 0 and told["label"] == "hide d"
    assert told["left"] == 0.25 and told["path"] == [[8, 4]]
    assert abs(told["off"] - 0.25) < 1e-5 and told["fix"] == [
        {"op": "replace", "path": "/layers/d/opacity/value", "value": 0.5}
    ]
    assert told["words"] == "9 frames" and told["count"] == {"sum": 10}
