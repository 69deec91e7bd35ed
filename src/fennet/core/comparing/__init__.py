"""Looking back: what batches had in common, and what differed."""
