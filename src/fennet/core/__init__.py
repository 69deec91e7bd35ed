"""The rules of the job: pure functions of records.

Import rule: the standard library, numpy, scipy and annotated-types; nothing of Flask, SQL, files or clocks.
"now" is always an argument, instants are seconds since 1970 UTC inside computations, and every answer carries its working.
"""
