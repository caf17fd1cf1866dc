"""What is due by the calendars of all jobs: known, entered, run once, and told."""
