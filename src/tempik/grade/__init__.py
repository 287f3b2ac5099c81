"""Colour: what grades do to it, folded into look-ups; LUT files; looks; scopes."""
