"""Several things in one clause."""

from collections.abc import Sequence


def listed(things: Sequence[str]) -> str:
    """One thing, two with "and" between them, or more with commas before that."""
    *before, last = things
    return f"{', '.join(before)} and {last}" if before else last
