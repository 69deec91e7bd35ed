"""Keeping what Fennet is trusted with: backups, the way back from them, and what is wrong with the machine below."""
