"""What is found out about a run before the first document is drawn, step by step."""
