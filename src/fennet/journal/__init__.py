"""Open formats in and out: text becomes core records or a reason, and back again unchanged.

Import rule: fennet.core and fennet.crops. No database here; a caller says which ids it already knows.
"""
