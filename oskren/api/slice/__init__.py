"""Slice over HTTP: slice plans and one-shots."""
