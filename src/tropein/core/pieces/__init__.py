"""Pieces of mattes: what covers how much, one file each. They stand on the planner, and ask it for layers' pictures and places."""
