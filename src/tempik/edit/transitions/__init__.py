"""Transitions laid on cuts, changed, copied, and mended where footage is short."""
