"""The timeline: its axis, its lanes and the widget that holds them."""
