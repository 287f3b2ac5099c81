"""Changes of what is known of footage: facts, cues, what is followed in it."""
