"""Writing the first form of a job: for a table of one's own, or like another job."""
