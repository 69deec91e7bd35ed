"""Answers in words: figures, dates and sentences in a person's units, locale and zone. No rule of the job is decided here.

Import rule: core, crops, journal and operations; used by pages and by the command line alike.
"""
