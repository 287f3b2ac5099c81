"""The song on screen: its wave, and the strip that chooses a stretch of it."""
