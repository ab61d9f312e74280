"""Stack over HTTP: designs, their layers and meters, and what a page told of them."""
