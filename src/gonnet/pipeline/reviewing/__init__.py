"""Looking at a prepared run, and changing it by hand."""
