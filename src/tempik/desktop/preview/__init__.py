"""The picture, and where the next event lands."""
