"""The tray as a matching board, from which rows go to claims: it stands on expenses and claims."""
