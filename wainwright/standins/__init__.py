"""Small simulated outside services that ship with Wainwright: one folder per port.

Each can be put aside for the real thing by naming another class in the settings.
"""
