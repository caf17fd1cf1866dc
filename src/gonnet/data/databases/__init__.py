"""Reading from databases, and writing what was sent back to them."""
