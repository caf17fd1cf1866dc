"""Gonnet: split one report run by recipient, check every part, and mail each person only their own."""

__version__ = "0.2.0"
