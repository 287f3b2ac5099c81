"""Files: the one way in which they are written, and the one in which they are read."""
