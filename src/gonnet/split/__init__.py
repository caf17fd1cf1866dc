"""Keys and slices: data sets, each sorted once, cut by the value that says whose row it is."""

from gonnet.split.slices import Slices, bring_together, by_key, counted

__all__ = ["Slices", "bring_together", "by_key", "counted"]
