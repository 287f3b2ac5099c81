"""What keys and menus do, by subject."""
