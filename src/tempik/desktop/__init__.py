"""The window: the only part of Tempik that knows Qt."""
