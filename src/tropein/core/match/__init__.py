"""Measures by which an insert is matched to what lies around it."""
