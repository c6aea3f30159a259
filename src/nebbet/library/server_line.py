"""What holds for all connections to one library on a server."""

import time
from collections.abc import Mapping
from typing import Any

# Seconds in which a server that works says something, whatever it is asked.
QUIET = 10.0


class ServerLine:
    """What holds for all connections to one library: the password, and how long a call may hear
    nothing. quiet may be changed while calls wait: 0.0 ends them all at once."""

    def __init__(self, quiet: float = QUIET, password: str = "") -> None:
        self.quiet, self.password = quiet, password
        self.used = time.monotonic()  # when a connection was given back last

    def asked(self, options: Mapping[str, Any]) -> dict[str, Any]:
        """The options of a connection, with the password of now."""
        return {**options, **({"password": self.password} if self.password else {})}
