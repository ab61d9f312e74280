"""Long work of Stack: layers, prints and bundles."""
