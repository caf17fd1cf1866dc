"""Making the packages of a run: documents, messages, and the account of every row."""
