"""The launcher's commands; what is not here is the application's own command line."""

from __future__ import annotations

import os
import sys

from launch import postgres
from launch.checks import faults, test
from launch.paths import PLACE, PYTHON
from launch.setup import environment, set_up
from launch.start import start

HELP = """Tropein: track footage, attach elements to it, match them to it.

  ./tropein start [--demo] [--port N] [--host H]     set up if needed, start everything, print the address
  ./tropein test [pytest arguments]                  set up if needed, run every check
  ./tropein faults [kills|files|fuzz] [N]            kills at random, bad files, random requests: the long checks
  ./tropein start --workers-from NETWORK             the same, and say how workers on other machines can join
  ./tropein worker [--slots N]                       one more worker (on another machine: as `start` has said)
  ./tropein python [arguments]                       the environment's Python
  ./tropein probe | track | render | check | match | shot ...        each with --help
"""
NEEDS_DATABASE = {"worker", "render", "check", "shot"}


def main(arguments: list[str]) -> int:
    if not arguments or arguments[0] in ("-h", "--help", "help"):
        print(HELP)
        return 0
    command, rest = arguments[0], arguments[1:]
    if command == "start":
        return start(rest)
    if command == "test":
        return test(rest)
    if command == "faults":
        return faults(rest)
    quiet_set_up()
    os.environ.update(environment())
    if command == "python":
        os.execv(str(PYTHON), [str(PYTHON), *rest])
    if command in NEEDS_DATABASE and "--help" not in rest and not os.environ.get("TROPEIN_DATABASE"):
        server = postgres.start(PLACE / "pg")
        postgres.ensure_database(server)
        server.users.keep_over_exec()  # as long as the command runs
        os.environ["TROPEIN_DATABASE"] = server.url()
    os.execv(str(PYTHON), [str(PYTHON), "-m", "tropein.cli", *arguments])
    return 0


def quiet_set_up() -> None:
    """Set up without mixing words into a command's own output."""
    out = os.dup(1)
    os.dup2(2, 1)
    try:
        set_up(with_page=False)
    finally:
        sys.stdout.flush()
        os.dup2(out, 1)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
