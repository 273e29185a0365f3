"""Effects: one file each. Importing the package registers them all."""

from tropein.core.effects.registry import described, discover, run, sampled

discover(__name__, list(__path__))

__all__ = ["described", "run", "sampled"]
