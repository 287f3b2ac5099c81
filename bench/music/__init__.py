"""Music made for fitting the rhythm analysis: seeded, with every beat, bar and drum known."""
