"""Motion measured from footage."""
