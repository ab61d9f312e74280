"""Long work of Slice: plans, and one-shots made of them."""
