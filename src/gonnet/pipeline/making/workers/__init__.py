"""Who draws: processes of this machine, or workers of a cluster."""
