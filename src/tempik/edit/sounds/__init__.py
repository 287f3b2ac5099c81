"""Changes to what is heard: rows of sounds, clips of sounds, the shelf of the reel, the mix."""
