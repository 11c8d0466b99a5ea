"""The end of a month: what is still loose and whom to push, what is accrued, the period closed, and what goes out as tables."""
