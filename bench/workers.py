"""How much faster a render is with two workers, or one of two slots, than with one: `python -m bench.workers [SHOT]`.

A database of its own with the demo's first shots; each render is of all 72 frames at full size, asked for as the page does. Interleaved.
"""

from __future__ import annotations

import os
import resource
import subprocess
import sys
import time
from statistics import median

from demo.place import demo_place
from demo.seed import SHOTS

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.kind import start
from tropein.app.jobs.work.render import Render
from tropein.app.store import runs, shots
from tropein.app.store.database import transaction

ROUNDS = 2
WAYS = {"1 worker, 1 slot": (1, 1), "1 worker, 2 slots": (1, 2), "2 workers, 1 slot": (2, 1)}


def children() -> float:
    """CPU seconds of all workers that have ended."""
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


def rendered(context: WorkContext, shot_id: str, workers: int, slots: int) -> tuple[float, float]:
    """Seconds from when it was asked for until the film is whole, and CPU seconds of the workers, their start with them; they are up before."""
    before = children()
    env = {**os.environ, "TROPEIN_DATABASE": context.settings.database, "TROPEIN_HOME": str(context.settings.home)}
    command = [sys.executable, "-m", "tropein.cli", "worker", "--slots", str(slots)]
    processes = [subprocess.Popen(command, env=env) for _ in range(workers)]
    time.sleep(4)
    try:
        with transaction(context.engine) as session:
            run = start(session, Render(shot=shot_id, first=0, last=71)).id
        began = time.monotonic()
        while time.monotonic() - began < 120:
            with transaction(context.engine) as session:
                state = runs.get(session, run).state
            if state in runs.ENDED:
                assert state == "done", state
                taken = time.monotonic() - began
                break
            time.sleep(0.05)
        else:
            raise TimeoutError
    finally:
        for process in processes:
            process.terminate()
        for process in processes:
            process.wait(20)
    return taken, children() - before


def main(name: str) -> None:
    upto = [shot[0] for shot in SHOTS].index(name) + 1
    with demo_place(upto) as context:
        with transaction(context.engine) as session:
            shot = next(row.id for row in shots.all_shots(session) if row.name == name)
        taken: dict[str, list[tuple[float, float]]] = {way: [] for way in WAYS}
        for _ in range(ROUNDS):
            for way, (workers, slots) in WAYS.items():
                taken[way].append(rendered(context, shot, workers, slots))
    one = median(wall for wall, _ in taken["1 worker, 1 slot"])
    for way, times in taken.items():
        seconds, cpu = (median(values) for values in zip(*times, strict=True))
        sys.stdout.write(
            f"{way:18} {seconds:6.1f} s   CPU {cpu:5.1f} s   {one / seconds:.2f}x   {72 / seconds:.1f} frames a second\n"
        )


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "Compass in the air")
