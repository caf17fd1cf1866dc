"""What `check` looks at besides the survey: texts, links and totals, servers."""
