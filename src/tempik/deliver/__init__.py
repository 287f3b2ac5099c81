"""The reel leaves the house: orders, what they come to, and the queue."""
