"""Pieces of mattes: from footage, tracks and drawn outlines to coverage. Knows no layers: see compose.mattes."""
