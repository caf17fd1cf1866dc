"""The review as a sheet that goes out, is looked at and changed, and comes back with decisions."""
