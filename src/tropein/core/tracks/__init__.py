"""Kinds of tracks, one file each: what the document holds of one, and how it is measured from footage."""
