"""The made-up cooperative, and the stand-in mail server."""
