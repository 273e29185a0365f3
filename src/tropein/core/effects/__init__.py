"""Effects: one file each."""

from tropein.core.effects.registry import described, run, sampled

__all__ = ["described", "run", "sampled"]
