"""Where things are in the checkout."""

import os
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = ROOT / "var"
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"
STAMPS = VAR / "stamps"
PLACE = Path(
    os.environ.get("TROPEIN_PLACE", VAR)
).resolve()  # what is one installation's: another may run from this checkout
LOGS = PLACE / "log"
RUN = PLACE / "run"  # who runs here now
