"""What each role may do, in words."""

ROLE_WORDS = {
    "helper": "help: log, sow, water, move",
    "viewer": "look only",
    "owner": "own it: everything, and invite others",
}
