"""Measures: by what an insert differs from the plate around it, and what would mend it; one file each."""
