"""The demo's shots, row by row against step by step: `python -m bench.shots`.

Frames in order from the originals at full size, to bytes, what stands still kept, as in renders; CPU time of one process, interleaved.
Differences in display codes of all frames that are drawn.
"""

from __future__ import annotations

import sys
import time
from statistics import median

import numpy as np
from demo.place import demo_place

from tropein.app.jobs.context import WorkContext
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.compose.render import of_artefacts
from tropein.core.document import Shot
from tropein.core.garbage import settled
from tropein.core.media.source import Sources

FIRST, LAST, ROUNDS, CACHE_BYTES = 24, 35, 3, 512 << 20


def drawn(context: WorkContext, shot: Shot, by_rows: bool) -> tuple[float, list[np.ndarray]]:
    """CPU ms a frame, and the frames."""
    sources = Sources(context.library.store, final=True)
    renderer = of_artefacts(sources, context.artefacts, CACHE_BYTES, by_rows, in_order=True)
    planner = renderer.planner(shot)
    window = planner.frame_window
    renderer.shown(planner.plan(FIRST - 1), window)
    settled()
    began = time.process_time()
    frames = [renderer.shown(planner.plan(f), window) for f in range(FIRST, LAST + 1)]
    taken = (time.process_time() - began) * 1e3 / len(frames)
    sources.close()
    return taken, frames


def main() -> None:
    print("| shot | by steps, ms CPU a frame | by rows | ratio | difference: mean / p99 / most |")
    print("| --- | --- | --- | --- | --- |")
    ratios = []
    with demo_place() as context:
        with transaction(context.engine) as session:
            known = [shots.shot_of(session, row.id) for row in shots.all_shots(session)]
        for shot in sorted(known, key=lambda s: s.name):
            times: dict[bool, list[float]] = {False: [], True: []}
            last = {}
            for _ in range(ROUNDS):
                for by_rows in (False, True):
                    taken, last[by_rows] = drawn(context, shot, by_rows)
                    times[by_rows].append(taken)
            gap = np.abs(np.stack(last[True]).astype(np.int16) - np.stack(last[False]))
            steps, rows = median(times[False]), median(times[True])
            ratios.append(steps / rows)
            print(
                f"| {shot.name} | {steps:.0f} | {rows:.0f} | {steps / rows:.2f} "
                f"| {gap.mean():.3f} / {np.percentile(gap, 99):.0f} / {gap.max()} |"
            )
    sys.stdout.write(f"Median ratio {median(ratios):.2f}, least {min(ratios):.2f}.\n")


if __name__ == "__main__":
    main()
