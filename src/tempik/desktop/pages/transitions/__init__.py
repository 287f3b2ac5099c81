"""The Transitions page: what happens over the cuts."""
