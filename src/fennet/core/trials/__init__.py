"""Trials asked beforehand: how many cells they need, which seed goes into which, and what they answered."""
