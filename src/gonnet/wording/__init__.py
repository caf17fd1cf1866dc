"""How values become words: number and date formats, and the texts that they are merged into.

Its modules are imported by name, so that what only needs a format does not load the template engine.
"""
