"""The Joins page: what happens over the cuts."""
