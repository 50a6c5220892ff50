"""Tables of CSV that people bring: columns matched by name, every refused row told with its line and its reason.

One mechanism for every kind of import: the caller says which columns it knows and makes one thing of a row.
"""

import csv
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Generic, TypeVar

from moonplan.core.mistakes import BadDocument, Mistake

Row = TypeVar("Row")
_SEPARATORS = (",", ";", "\t")


@dataclass(frozen=True, slots=True)
class Taken(Generic[Row]):
    """A row that can be used. line : its line in the file, the heading being line 1."""

    line: int
    row: Row


@dataclass(frozen=True, slots=True)
class RefusedRow:
    """A row that cannot be used, and why."""

    line: int
    mistakes: tuple[Mistake, ...]


def rows_of(
    lines: Iterable[str],
    known: Mapping[str, str],
    make: Callable[[dict[str, str]], Row],
    *,
    needs: Collection[str] = (),
) -> Iterator[Taken[Row] | RefusedRow]:
    """The rows of a CSV text, one after the other; nothing but the present row is held.

    Parameters
    ----------
    lines : the file's lines; the first is the heading. Separated by comma, semicolon or tab.
    known : column names as they may be written (any case, spaces or underscores), to the key each stands for.
    make : what a row's cells (by key, empty ones left out) become; raises BadDocument for a row that cannot be.
    needs : keys without which the file is not what it says.

    Raises
    ------
    BadDocument
        If the heading has no known column or not all that it needs: the file is not what it says. If a quotation mark is
        not closed in its line, and what follows can't be told from what it quotes.
    """
    numbered = iter(lines)
    heading = next(numbered, "").lstrip("\ufeff")
    separator = max(_SEPARATORS, key=heading.count)
    keys = [known.get(_plain(name)) for name in _columns(heading, separator)]
    if not any(keys) or not set(needs) <= set(keys):
        expected = f"a heading with columns such as {', '.join(dict.fromkeys(known))}"
        raise BadDocument([Mistake("line 1", heading.strip()[:80] or "nothing", expected)])
    for line, cells in _cells(numbered, separator):
        if isinstance(cells, Mistake):
            yield RefusedRow(line, (cells,))
            continue
        if any(cell.strip() for cell in cells[len(keys) :]):
            # A decimal comma in a table that commas separate would leave half of its figure.
            yield RefusedRow(line, (Mistake("row", f"{len(cells)} cells", f"{len(keys)}, as in the heading"),))
            continue
        given = {key: cell.strip() for key, cell in zip(keys, cells, strict=False) if key and cell.strip()}
        if not given:
            continue
        try:
            yield Taken(line, make(given))
        except BadDocument as error:
            yield RefusedRow(line, error.mistakes)


def _columns(heading: str, separator: str) -> list[str]:
    try:
        return next(csv.reader([heading], delimiter=separator), [])
    except csv.Error:
        return []


def _cells(lines: Iterator[str], separator: str) -> Iterator[tuple[int, list[str] | Mistake]]:
    """The cells of each row with the line that it ends in, or what is wrong with a row that has none."""
    reader = csv.reader(lines, delimiter=separator, strict=True)
    while True:
        first = reader.line_num + 2
        try:
            cells = next(reader, None)
        except csv.Error as error:
            expected = f"every quotation mark closed, and cells of at most {csv.field_size_limit()} characters"
            if reader.line_num + 1 > first:
                raise BadDocument([Mistake(f"from line {first} on", str(error), expected)]) from error
            yield first, Mistake("row", str(error), expected)
            continue
        if cells is None:
            return
        yield reader.line_num + 1, cells


def number(text: str) -> float | str:
    """A number with a decimal point or comma; what is none stays text, so that the check names it."""
    try:
        return float(text.replace(",", ".", 1))
    except ValueError:
        return text


def _plain(name: str) -> str:
    return name.strip().lower().replace(" ", "_").replace("-", "_")
