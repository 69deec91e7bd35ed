"""Every test. Hypothesis takes what time it needs: how fast a machine is busy today is no fault of the code."""

from hypothesis import settings

settings.register_profile("fennet", deadline=None)
settings.load_profile("fennet")
