"""Changes of clips: where they lie, their edges, their pins, their framing."""
