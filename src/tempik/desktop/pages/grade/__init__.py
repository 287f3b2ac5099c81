"""The Grade page: colour of the reel, of clips, of footage; scopes beside it."""
