"""From text to types."""
