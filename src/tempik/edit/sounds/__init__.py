"""Changes to what is heard: lanes of sounds, clips of sounds, the shelf of the reel, the mix."""
