"""Operations on a reel: pure functions from reel to reel, the derived timeline, and drafting."""
