"""`python -m fennet.mqtt`: hear every garden's broker until told to stop, or until no garden has one."""

from __future__ import annotations

import os
import signal
import sys
import threading

from fennet.mqtt.service import Service
from fennet.storage.database import connect


def main() -> int:
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    engine = connect(os.environ["FENNET_WEB_DATABASE"], 2)
    try:
        Service(engine, os.environ.get("FENNET_WEB_INSTANCE", "here")).run(stop)
    finally:
        engine.dispose()
    return 0


if __name__ == "__main__":
    sys.exit(main())
