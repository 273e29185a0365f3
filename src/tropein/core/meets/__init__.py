"""Meets: how a layer meets what lies beneath it, one file each."""
