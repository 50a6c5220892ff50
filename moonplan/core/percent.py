"""Parts of a whole, told in percent."""


def percent_told(part: float) -> str:
    """A part of a whole, to one per cent: "64 %"."""
    return f"{part * 100:.0f} %"
