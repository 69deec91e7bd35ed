"""What growing seedlings want done: feed, thinning, pricking out, potting up, pinching, water by the record."""
