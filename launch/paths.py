"""Where things are in the checkout."""

from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
VAR = ROOT / "var"
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"
STAMPS = VAR / "stamps"
LOGS = VAR / "log"
