"""Contents: what a layer can show, one file each."""
