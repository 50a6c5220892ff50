"""Interval meter data as Green Button: the Energy Services Provider Interface, an XML format (NAESB REQ.21, ESPI)."""

from array import array
from typing import IO
from xml.etree.ElementTree import Element, ParseError

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import iterparse

from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.series import Brought, settled
from moonplan.core.tables import RefusedRow

_ESPI = "{http://naesb.org/espi}"
_WH = "72"  # the unit of measure of ReadingType for watt-hours
_DELIVERED, _RECEIVED = "1", "19"  # directions of flow: from the grid to the house, and back


def from_green_button(file: IO[bytes], *, direction: str = "delivered") -> Brought:
    """The energy that a meter counted, as mean power.

    direction : "delivered" from the grid to the house, or "received" from the house. A file that names no direction is
        taken as delivered.

    Raises
    ------
    BadDocument
        If the file is no such XML, holds entities or anything else that is no data, or has no reading of energy.
    """
    wanted = _RECEIVED if direction == "received" else _DELIVERED
    at_s, ends_s, values = array("q"), array("q"), array("d")
    refused: list[RefusedRow] = []
    scale, flows = 1.0, _DELIVERED
    n = 0
    try:
        # A block of readings follows the type that it is of.
        for _, element in iterparse(file, events=("end",), forbid_dtd=True):
            if element.tag == f"{_ESPI}ReadingType":
                scale, flows = _reading_type(element)
            elif element.tag == f"{_ESPI}IntervalReading":
                n += 1
                if flows == wanted:
                    _take(element, n, scale, at_s, ends_s, values, refused)
                element.clear()
            elif element.tag == f"{_ESPI}IntervalBlock":
                element.clear()
    except (ParseError, DefusedXmlException) as error:
        raise BadDocument([Mistake("file", type(error).__name__, "Green Button XML (ESPI), without entities")]) from error
    if not n:
        raise BadDocument([Mistake("file", "no IntervalReading", "Green Button XML (ESPI) with interval readings")])
    if not at_s and not refused:
        raise BadDocument([Mistake("file", f"nothing {direction}", f"readings of energy that was {direction}")])
    return settled(at_s, values, ends_s, measure="power", unit="Wh", refused=refused)


def _reading_type(element: Element) -> tuple[float, str]:
    """Watt-hours of a count, and which way it flowed."""
    unit = element.findtext(f"{_ESPI}uom")
    if unit is not None and unit != _WH:
        raise BadDocument([Mistake("ReadingType.uom", unit, f"{_WH}, watt-hours")])
    power = element.findtext(f"{_ESPI}powerOfTenMultiplier") or "0"
    try:
        scale = float(10.0 ** int(power))
    except (ValueError, OverflowError):
        raise BadDocument([Mistake("ReadingType.powerOfTenMultiplier", power, "a whole number")]) from None
    return scale, element.findtext(f"{_ESPI}flowDirection") or _DELIVERED


def _take(
    element: Element,
    n: int,
    scale: float,
    at_s: "array[int]",
    ends_s: "array[int]",
    values: "array[float]",
    refused: list[RefusedRow],
) -> None:
    period = element.find(f"{_ESPI}timePeriod")
    told = {
        "timePeriod.start": None if period is None else period.findtext(f"{_ESPI}start"),
        "timePeriod.duration": None if period is None else period.findtext(f"{_ESPI}duration"),
        "value": element.findtext(f"{_ESPI}value"),
    }
    try:
        start, length, value = (int(text or "") for text in told.values())
    except ValueError:
        wrong = [Mistake(key, text or "missing", "a whole number") for key, text in told.items() if not _whole(text)]
        refused.append(RefusedRow(n, tuple(wrong)))
        return
    if length <= 0 or value < 0:
        key, found = ("timePeriod.duration", length) if length <= 0 else ("value", value)
        refused.append(RefusedRow(n, (Mistake(key, found, "a positive number"),)))
        return
    at_s.append(start)
    ends_s.append(start + length)
    values.append(value * scale)


def _whole(text: str | None) -> bool:
    return bool(text) and str(text).lstrip("-").isdigit()
