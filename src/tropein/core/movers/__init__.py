"""Movers: live modifiers of values, one file each."""
