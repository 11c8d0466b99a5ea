"""Bytes to the core's objects and back: one module per open format.

No Django here. May import ``core`` and the libraries that know the formats. A reader never lets a
bad entry spoil the good ones: it returns what it took and a list of what it left, and why.
"""
