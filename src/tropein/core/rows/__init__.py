"""Operations on rows of pixels, many of which are done one after another while a row lies in the processor's cache.

A run of them draws a picture strip by strip, in *registers*: rows of four planes (red, green, blue, coverage). See `op.py` for what an operation
is, `interpret.py` for what carries runs out, `compose/runs.py` for what makes runs of a plan.
"""
