"""Changes of the song: points, readings, stretches, another song."""
