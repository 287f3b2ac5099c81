"""The window itself: how the parts are composed, laid out and closed."""
