"""Changes of grades: of footage, of clips, of the whole reel; one matched to another, light made even."""
