"""Pages of costs: ``tray`` takes in and shows papers, ``costs`` types and changes expenses."""
