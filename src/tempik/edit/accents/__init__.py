"""Changes of accent rows."""
