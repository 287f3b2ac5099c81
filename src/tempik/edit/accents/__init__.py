"""Changes of accent lanes."""
