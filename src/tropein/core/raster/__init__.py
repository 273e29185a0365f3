"""Pixels. The only package with kernels; thread settings are made here, before numba is first imported."""

import os

os.environ.setdefault("OMP_WAIT_POLICY", "PASSIVE")  # idle OpenMP threads would spin and steal the second core
os.environ.setdefault("NUMBA_THREADING_LAYER", "omp")  # the layer that may be called from several threads
