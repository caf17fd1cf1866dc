"""The steps of a job: programs that run at the moments of a run."""
