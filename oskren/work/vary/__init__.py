"""Long work of Vary: spreads drawn and judged."""
