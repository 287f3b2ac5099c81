"""What follows from a reel: frames, placed clips, pulses, gaps. Everyone who shows, plays, renders or checks asks here."""
