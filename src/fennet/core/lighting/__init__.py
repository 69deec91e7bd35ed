"""Light where the leaf is: a lamp's brightness by distance, a shelf's map, light against warmth, and what it costs."""
