"""Work in the background, one file for each kind."""
