"""How the plates of the demo were made. Rendering them is not part of set-up: the encoded plates ship."""
