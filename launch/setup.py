"""What must be there before Tropein runs: Debian packages, the Python environment, the built page, compiled kernels."""

from __future__ import annotations

import os
import shutil
import signal
import sys
from pathlib import Path

from launch.lifeline import hold
from launch.paths import PLACE, PYTHON, ROOT, VAR, VENV, WEB
from launch.step import StepFailed, done_before, fingerprint, mark_done, run, together


def environment() -> dict[str, str]:
    """Variables that every Python process of ours gets."""
    return {
        "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
        "NUMBA_CACHE_DIR": str(VAR / "numba"),
        "OMP_WAIT_POLICY": "PASSIVE",
        "OPENBLAS_NUM_THREADS": "1",  # small matrices: threads only wait for each other
        "PYTHONDONTWRITEBYTECODE": "",  # compiled modules are kept: start-up is several times faster
        "TROPEIN_HOME": os.environ.get("TROPEIN_HOME", str(PLACE / "home")),
        "TROPEIN_WEB": str(WEB / "dist"),
    }


def postgres_bin() -> Path | None:
    """The newest installed server's programs, which Debian keeps off the PATH."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"), key=lambda p: int(p.parts[4]))
    return found[-1].parent if found else None


def system_packages(for_tests: bool) -> None:
    """Install missing Debian packages, when we are root; otherwise say which."""
    wanted = []
    if postgres_bin() is None:
        wanted.append("postgresql")
    if not list(Path("/usr/lib").glob("*/libgomp.so.1")):
        wanted.append("libgomp1")
    if for_tests and not shutil.which("chromium"):
        wanted.append("chromium")
    if for_tests and not shutil.which("ffmpeg"):
        wanted.append("ffmpeg")
    if not wanted:
        return
    by_hand = f"run as root: apt-get update && apt-get install {' '.join(wanted)}"
    if os.geteuid() != 0 or not shutil.which("apt-get"):
        raise StepFailed("install Debian packages", f"These are missing: {', '.join(wanted)}.", by_hand)
    quiet = {"DEBIAN_FRONTEND": "noninteractive"}
    run("update the package list", ["apt-get", "update", "-q"], "check the network, then start again")
    packages = ["apt-get", "install", "-y", "-q", "--no-install-recommends", *wanted]
    run(f"install {' '.join(wanted)}", packages, by_hand, env=quiet)


def python_environment(for_tests: bool) -> None:
    """The virtual environment, from the hashed requirements; the development set holds the other one."""
    requirements = ROOT / "requirements"
    dev = requirements / "dev.txt"
    base_mark = fingerprint([requirements / "base.txt"], sys.version)
    dev_mark = fingerprint([dev], sys.version)
    if done_before("python", dev_mark) or (not for_tests and done_before("python", base_mark)):
        return
    chosen, mark = (dev, dev_mark) if for_tests else (requirements / "base.txt", base_mark)
    remedy = "check the network and the free disk space, then start again"
    if not PYTHON.exists():
        run("make the Python environment", [sys.executable, "-m", "venv", str(VENV)], "apt-get install python3-venv")
    if not (VENV / "bin" / "uv").exists():
        pip = [str(PYTHON), "-m", "pip", "install", "--require-hashes", "-r", str(requirements / "uv.txt")]
        run("get the package installer", pip, remedy)
    sync = [
        str(VENV / "bin" / "uv"),
        "pip",
        "install",
        "--compile-bytecode",
        "--no-deps",  # the lists are complete, and leave out what requirements/overrides.txt does
        "--require-hashes",
        "-r",
        str(chosen),
        "--python",
        str(PYTHON),
    ]
    run("install Python packages", sync, remedy)
    mark_done("python", mark)


def page() -> None:
    """The web page: its packages from the lock file, then the build."""
    lock = fingerprint([WEB / "package-lock.json", WEB / "package.json"])
    if not (done_before("npm", lock) and (WEB / "node_modules").is_dir()):
        if not shutil.which("npm"):
            raise StepFailed("install the page's packages", "npm is not installed.", "install Node.js 20 with npm")
        run("install the page's packages", ["npm", "ci"], "check the network, then start again", cwd=WEB)
        mark_done("npm", lock)
    source = [WEB / "src", WEB / "index.html", WEB / "vite.config.ts", WEB / "package-lock.json", WEB / "tsconfig.json"]
    mark = fingerprint([p for p in source if p.exists()])
    if not (done_before("page", mark) and (WEB / "dist" / "index.html").exists()):
        run(
            "build the page", ["npm", "run", "build"], "see the messages above: the page's source has an error", cwd=WEB
        )
        mark_done("page", mark)


def kernels(*parts: str) -> None:
    """Compile kernels once, so that no request is ever the first to need one: by parts (compose.warm.PARTS)."""
    core = ROOT / "src/tropein/core"
    source = [
        core / "raster", core / "rows", core / "effects", core / "matte", core / "track/align.py", core / "compose/warm.py", ROOT / "requirements/base.txt",
    ]  # fmt: skip
    mark = fingerprint(source, sys.version)
    for part in parts:
        ready = VAR / "numba" / f"{part}.ready"
        if done_before(f"kernels-{part}", mark) and ready.exists():
            continue
        ready.unlink(missing_ok=True)
        command = [str(PYTHON), "-m", "tropein.cli", "warm-up", part]
        run(f"compile the kernels for {part}", command, "see the messages above", env=environment())
        mark_done(f"kernels-{part}", mark)


def drop_stale_kernels() -> None:
    """The compiler looks at a kernel's own file only: when what many share has changed, all are stale."""
    core = ROOT / "src/tropein/core"
    shared = fingerprint([core / p for p in ("raster/srgb.py", "raster/blend.py", "raster/colour.py", "rows/op.py")])
    if not done_before("kernels-shared", shared):
        shutil.rmtree(VAR / "numba", ignore_errors=True)
        mark_done("kernels-shared", shared)


def later_kernels() -> None:
    """What the first pictures do not need."""
    together(lambda: kernels("mattes"), lambda: kernels("tracks", "looks"))


def set_up(for_tests: bool = False, with_page: bool = True) -> None:
    """What must be there for the page to be served, nothing when all is there; for tests everything. One command at a time."""
    lock = hold(VAR / "set-up.lock", wait=False)
    if lock is None:
        print("  waiting for another command that is setting up ...", flush=True)
        lock = hold(VAR / "set-up.lock")
    assert lock is not None

    def python() -> None:
        python_environment(for_tests)
        drop_stale_kernels()
        together(lambda: kernels("pixels"), lambda: kernels("rows"))

    with lock:
        system_packages(for_tests)
        together(python, *([page] if with_page else []))
        if for_tests:
            later_kernels()


def main() -> int:
    """`python -m launch.setup`: the kernels that can wait, while the page is served already."""
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    os.nice(10)
    lock = hold(VAR / "kernels.lock")
    assert lock is not None
    with lock:
        later_kernels()
    return 0


if __name__ == "__main__":
    sys.exit(main())
