"""The season ahead: when it is safe outdoors, what to sow when, how much, and whether the room holds it."""
