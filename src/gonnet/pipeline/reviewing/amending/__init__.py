"""Putting packages right by hand before they leave."""
