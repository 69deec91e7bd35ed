"""Hardening off and planting out: the weather ahead, the outings of each batch, and whether it may go out for good."""
