"""The story of a run, told once: survey (what `check` shows), prepare, send.

Its modules are imported by name, so that a command loads only the part of the story that it tells.
"""
