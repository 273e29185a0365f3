"""Random requests against the running application, for minutes: `./tropein faults fuzz [minutes]`."""

from __future__ import annotations

import atexit
import subprocess
import sys
import tempfile
from pathlib import Path

from tests.conftest import moving_frames, write_clip
from tests.faults.kills import form, patiently
from tests.launch.test_running import Started

# Checks that say more than our API promises: an unsupported method is answered as any address that is none, and examples that
# schemathesis deems valid may still not fit the shot they are sent to.
LEFT_OUT = "positive_data_acceptance"


def main(minutes: float) -> int:
    place = Path(tempfile.mkdtemp(prefix="tropein-fuzz-")) / "place"
    place.mkdir()
    running = Started(place)
    atexit.register(running.process.terminate)
    address = running.ready()
    patiently(address, "/api/uploads", raw=form(write_clip(place / "wall.mp4", moving_frames(24))))
    done = subprocess.run(
        [str(Path(sys.executable).parent / "schemathesis"), "run", f"{address}/api/openapi.json", "--max-time", str(round(minutes * 60)),
         "--checks", "all", "--exclude-checks", LEFT_OUT, "--workers", "2", "--request-timeout", "60", "--continue-on-failure",
         "--exclude-path-regex", "login|logout", "--warnings", "off", "--suppress-health-check", "all"], cwd=place,
    )  # fmt: skip
    running.process.terminate()
    running.process.wait(30)
    faults = [
        line
        for line in (place / "log" / "server.log").read_text().splitlines()
        if " failed" in line and "ERROR" in line
    ]
    sys.stdout.write(f"{len(faults)} faults in the server's log\n" + "\n".join(faults[:20]) + "\n")
    return 1 if done.returncode or faults else 0


if __name__ == "__main__":
    sys.exit(main(float(sys.argv[1]) if len(sys.argv) > 1 else 10.0))
