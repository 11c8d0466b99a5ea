"""How an installation is run: its health, what it measures, what failed, copies of it and its moves."""
