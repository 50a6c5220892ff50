"""The process in which `refining` searches: it knows the core only, and is not set up for the database."""

import multiprocessing
import os
from threading import Thread


def begin() -> None:
    """Behind everything else on the machine, and no longer than the server, however that ends."""
    os.nice(10)
    Thread(target=_end_with_server, daemon=True).start()


def _end_with_server() -> None:
    server = multiprocessing.parent_process()
    if server is not None:
        server.join()
        os._exit(0)
