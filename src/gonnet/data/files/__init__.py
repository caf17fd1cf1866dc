"""Reading files of every kind into text or typed tables."""
