"""What a piece of SQL names, reads and may do, asked of the parser."""
