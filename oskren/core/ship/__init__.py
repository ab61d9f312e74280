"""Shipping: targets, names, files written and read back, reports and manifests."""
