"""Setting a machine up and starting Tropein on it. Standard library only: nothing is installed yet."""
