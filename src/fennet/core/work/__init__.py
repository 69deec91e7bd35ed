"""What there is to do: each deed with its reason, by when, and what is lost by waiting."""
