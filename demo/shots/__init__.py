"""The finished demo shots, as documents. Tracks are really tracked when the demo is set up."""
