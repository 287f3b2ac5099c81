"""The window: Qt 6 Widgets. It shows and asks; everything is worked out by the core."""
