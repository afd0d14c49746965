"""What services over HTTP ask for when they're asked again."""

import math
import time
from email.utils import parsedate_to_datetime

# Seconds: nobody waits longer for one more try.
LONGEST_WAIT = 60.0


def asked_wait(retry_after: str, usual: float) -> float:
    """Return the seconds to wait: what the service asks for, as seconds or as a date (RFC 9110), within reason."""
    try:
        seconds = float(retry_after)
    except ValueError:
        try:
            seconds = parsedate_to_datetime(retry_after).timestamp() - time.time()
        except (ValueError, OverflowError):
            return usual
    return min(max(seconds, 0.0), LONGEST_WAIT) if math.isfinite(seconds) else usual
