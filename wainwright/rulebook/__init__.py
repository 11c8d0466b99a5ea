"""What the firm has laid down: categories, rules, allowance schemes, rates, and reasons given."""
