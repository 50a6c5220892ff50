"""What is wrong with a document: each mistake with the path of its key, the value found and what was expected."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from difflib import get_close_matches
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

T = TypeVar("T")

_LONGEST_VALUE = 80


@dataclass(frozen=True, slots=True)
class Mistake:
    """One mistake. `value` is what stood there; the word "missing" where nothing did."""

    path: str
    value: Any
    expected: str

    def __str__(self) -> str:
        return f"{self.path}: {shown(self.value)}, expected {self.expected}"


class BadDocument(ValueError):
    """A document that can't be used, with all its mistakes."""

    def __init__(self, mistakes: Sequence[Mistake]) -> None:
        self.mistakes = tuple(mistakes)
        super().__init__("\n".join(str(mistake) for mistake in self.mistakes))


def validated(adapter: TypeAdapter[T], text: str | bytes, schema: dict[str, Any]) -> T:
    """What a JSON text is, by an adapter and its JSON schema.

    Raises
    ------
    BadDocument
        With every mistake of single values.
    """
    try:
        return adapter.validate_json(text)
    except ValidationError as error:
        raise BadDocument(mistakes_of(error, schema)) from error


def mistakes_of(error: ValidationError, schema: dict[str, Any]) -> list[Mistake]:
    """The mistakes of a failed check, told from the JSON schema of the document that was checked."""
    found = []
    for detail in error.errors(include_url=False, include_context=False):
        loc = detail["loc"]
        if detail["type"] == "json_invalid":
            found.append(Mistake("document", "not JSON", f"JSON ({detail['msg'].removeprefix('Invalid JSON: ')})"))
            continue
        part, loc = _schema_at(schema, loc)
        path = _path(loc)
        if detail["type"] == "missing" or detail["type"].startswith("missing"):
            found.append(Mistake(path, "missing", _describe(part, schema) + _unit(loc)))
        elif detail["type"] in ("extra_forbidden", "unexpected_keyword_argument"):
            owner, _ = _schema_at(schema, loc[:-1])
            found.append(Mistake(path, detail["input"], _known_key(str(loc[-1]), owner)))
        else:
            found.append(Mistake(path, detail["input"], _describe(part, schema) + _unit(loc)))
    return _once_a_path(found)


def _unit(loc: Sequence[str | int]) -> str:
    """The unit of distances, which some households type in another one than the document has."""
    key = str(loc[-1]) if loc else ""
    return " km" if key == "km" else " kWh per 100 km" if key.endswith("_kwh_per_100km") else ""


def _once_a_path(found: Sequence[Mistake]) -> list[Mistake]:
    """A value that fits none of several types is told once, and a list whose entry is wrong is not told besides."""
    by_path: dict[str, Mistake] = {}
    for mistake in found:
        by_path.setdefault(mistake.path, mistake)
    return [m for path, m in by_path.items() if not any(other.startswith(f"{path}[") for other in by_path)]


def shown(value: object) -> str:
    """A value as the document has it, cut short where it is long."""
    if isinstance(value, str) and value in ("missing", "not JSON"):
        text = str(value)
    elif isinstance(value, datetime | date):
        text = value.isoformat()
    elif isinstance(value, str):
        text = json.dumps(value, ensure_ascii=False)
    elif isinstance(value, float | int) and not isinstance(value, bool):
        text = _figure(value) if abs(value) < 1e15 else str(value)
    else:
        text = json.dumps(value, default=str)
    return text if len(text) <= _LONGEST_VALUE else text[: _LONGEST_VALUE - 1] + "…"


def _figure(value: float) -> str:
    """A number with all its digits, and none that a binary fraction adds."""
    return f"{value:.15g}"


def _path(loc: Sequence[str | int]) -> str:
    path = ""
    for step in loc:
        path += f"[{step}]" if isinstance(step, int) else f".{step}" if path else str(step)
    return path or "document"


def _resolved(part: dict[str, Any], schema: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in part:
        part = schema["$defs"][part["$ref"].rsplit("/", 1)[-1]]
    choices = [choice for choice in part.get("anyOf", []) if choice.get("type") != "null"]
    return _resolved(choices[0], schema) if choices else part


def _schema_at(schema: dict[str, Any], loc: Sequence[str | int]) -> tuple[dict[str, Any], tuple[str | int, ...]]:
    """The schema of the value at `loc`, and `loc` without the steps that name a type and not a key."""
    part = _resolved(schema, schema)
    kept: list[str | int] = []
    for step in loc:
        if isinstance(step, int):
            items = part.get("prefixItems")
            inner = items[step] if items and step < len(items) else part.get("items") or {}
        elif step in part.get("properties", {}):
            inner = part["properties"][step]
        elif f"{step}".rstrip("_") in part.get("properties", {}):
            step = f"{step}".rstrip("_")
            inner = part["properties"][step]
        elif part.get("type") == "object":
            inner = {}
        else:
            continue
        kept.append(step)
        part = _resolved(inner, schema)
    return part, tuple(kept)


def _known_key(key: str, owner: dict[str, Any]) -> str:
    known = list(owner.get("properties", {}))
    close = get_close_matches(key, known, n=1)
    return f"a known key (did you mean {close[0]}?)" if close else "a known key: " + ", ".join(known)


def _describe(part: dict[str, Any], schema: dict[str, Any]) -> str:
    if "const" in part:
        return json.dumps(part["const"])
    if "enum" in part:
        return "one of " + ", ".join(str(choice) for choice in part["enum"])
    kind = part.get("type")
    if kind in ("number", "integer"):
        return _describe_number(part)
    if kind == "string":
        return _describe_text(part)
    if kind == "boolean":
        return "true or false"
    if kind == "array":
        if "prefixItems" in part:
            return "a list of " + ", ".join(_describe(_resolved(item, schema), schema) for item in part["prefixItems"])
        least, most = part.get("minItems"), part.get("maxItems")
        counts = f" of {least or 0} to {most} entries" if most else ""
        return f"a list{counts}"
    if kind == "object":
        required = part.get("required", [])
        return "an object" + (f" with {', '.join(required)}" if required else "")
    return "another value"


def _describe_number(part: dict[str, Any]) -> str:
    whole = "a whole number " if part["type"] == "integer" else ""
    low, above, high = part.get("minimum"), part.get("exclusiveMinimum"), part.get("maximum")
    if low is not None and high is not None:
        return f"{whole}{_figure(low)} to {_figure(high)}"
    if above is not None and high is not None:
        return f"{whole or 'a number '}above {_figure(above)} and up to {_figure(high)}"
    return whole.strip() or "a number"


def _describe_text(part: dict[str, Any]) -> str:
    if "description" in part:
        return str(part["description"])
    if part.get("format") == "date":
        return "a date YYYY-MM-DD"
    if part.get("pattern") == "^[A-Z]{3}$":
        return "a currency code of three capitals"
    low, high = part.get("minLength"), part.get("maxLength")
    return f"a text of {low} to {high} characters" if low is not None and high is not None else "a text"
