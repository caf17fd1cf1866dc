"""Keys and slices: one data set, sorted once, cut by the value that says whose row it is."""

from gonnet.split.keys import Slices, bring_together, by_key

__all__ = ["Slices", "bring_together", "by_key"]
