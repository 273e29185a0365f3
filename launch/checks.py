"""`./tropein test`: every check, in order; all are run, the failures are named at the end."""

from __future__ import annotations

import os
import subprocess
import sys
import time

from launch.paths import PYTHON, ROOT, VENV, WEB
from launch.setup import environment, set_up

BIN = VENV / "bin"


def checks(arguments: list[str]) -> list[tuple[str, list[str], str]]:
    """(name, command, folder under the root)."""
    tools = str(WEB / "node_modules" / ".bin")
    found = [
        ("pytest", [str(PYTHON), "-m", "pytest", *(arguments or ["-n", "2", "--dist", "loadfile"])], "."),
    ]
    if arguments:
        return found
    return [
        ("ruff", [str(BIN / "ruff"), "check", "src", "tests", "launch", "bench", "demo"], "."),
        ("format", [str(BIN / "ruff"), "format", "--check", "-q", "src", "tests", "launch", "bench", "demo"], "."),
        ("imports", [str(BIN / "lint-imports")], "."),
        ("types", [str(BIN / "mypy")], "."),
        ("api types", [str(PYTHON), "-m", "tropein.cli", "api-types", "--check"], "."),
        ("page: types", [f"{tools}/tsc", "-b"], "web"),
        ("page: format", [f"{tools}/prettier", "--check", "--log-level", "warn", "src"], "web"),
        ("page: lint", [f"{tools}/eslint", "src"], "web"),
        ("page: unit", [f"{tools}/vitest", "run"], "web"),
        *found,
    ]


def test(arguments: list[str]) -> int:
    set_up(for_tests=True)
    env = {**os.environ, **environment()}
    failed = []
    for name, command, folder in checks(arguments):
        print(f"\n== {name}", flush=True)
        began = time.monotonic()
        code = subprocess.run(command, cwd=ROOT / folder, env=env).returncode
        print(f"-- {name}: {'ok' if code == 0 else 'FAILED'} in {time.monotonic() - began:.0f} s", flush=True)
        if code:
            failed.append(name)
    print(f"\n{'All checks passed.' if not failed else 'Failed: ' + ', '.join(failed)}", flush=True)
    return 1 if failed else 0


LONG = {"kills": "tests.faults.kills", "files": "tests.faults.bad_files", "fuzz": "tests.faults.fuzz"}


def faults(arguments: list[str]) -> int:
    """The long checks: all of them, or one with how many kills, files or minutes."""
    if arguments and arguments[0] not in LONG:
        print(f"./tropein faults [{'|'.join(LONG)}] [N]", file=sys.stderr)
        return 2
    set_up(for_tests=True)
    env = {**os.environ, **environment()}
    chosen = [arguments[0]] if arguments else list(LONG)
    return max(
        subprocess.run([str(PYTHON), "-m", LONG[name], *arguments[1:2]], cwd=ROOT, env=env).returncode
        for name in chosen
    )
