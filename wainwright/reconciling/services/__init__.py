"""Acts of reconciling: a statement taken, its lines told one by one or by rule, a period closed."""
