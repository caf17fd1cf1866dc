"""Drawing layouts as PDF."""
