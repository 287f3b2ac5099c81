"""A first draft by a mood: the rhythm of cuts, the footage for each slot, speeds, accents, transitions, sounds and a look."""
