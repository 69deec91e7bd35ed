"""A simulated room: air, soil, mats, probes and seedlings, written out as an open journal.

Import rule: nothing of fennet outside this package. Its plants share no code, no distribution and no response form with the
engine that reads the journal, so that agreement between the two means something.
"""
