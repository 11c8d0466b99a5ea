"""The computation of Wainwright.

What lives here works out figures from plain values: no Django, no files, no network, no clock.
Functions take frozen dataclasses (and the moment they are asked about) and return a result
together with its workings. May import: the standard library and other modules of ``core``.
"""
