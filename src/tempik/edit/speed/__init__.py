"""Changes of how fast and which way clips play."""
