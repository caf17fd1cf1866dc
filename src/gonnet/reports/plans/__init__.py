"""What every document of a report shares, worked out once for the run."""
