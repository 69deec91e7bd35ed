"""What a garden teaches of itself: its own kinds, seeds, trays and habits, drawn together over its seasons."""
