"""`python -m fennet`: what the start script calls."""

import sys

from fennet.cli import main

sys.exit(main(sys.argv[1:]))
