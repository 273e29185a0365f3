"""Effects: one file each."""

from tropein.core.effects.registry import described, run, same_always, sampled

__all__ = ["described", "run", "same_always", "sampled"]
