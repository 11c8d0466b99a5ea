"""An attack on the application that anybody can repeat: ``make attack``.

It makes a demo of its own in a folder of its own, and never leaves this machine: pages are asked in the process itself,
the only other processes are those that it kills.
"""
