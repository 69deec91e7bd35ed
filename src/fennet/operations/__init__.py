"""Multi-step writes, each one transaction: who does it and what time it is are arguments.

Import rule: storage, journal, crops and core; nothing of Flask. Web, devices and the command line all write through here.
"""
