"""Effects: one file each."""

from tropein.core.effects.registry import by_points, described, reach_of, run, same_always, sampled

__all__ = ["by_points", "described", "reach_of", "run", "same_always", "sampled"]
