"""What can be kept: plain JSON of bounded size, with text that is UTF-8 and numbers that are
finite.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from underkettle.case.faults import CaseError, Fault, fault, path

LARGEST_CASE = 4_000_000  # bytes
DEEPEST = 40
MOST_DIGITS = 300
LONGEST_TEXT = 200_000  # signs of one text
_ALLOWED = "\t\n\r"


def read_plain(text: str | bytes, source: str) -> Any:
    """JSON that can be kept. Raises CaseError that says where reading stopped."""
    if len(text) > LARGEST_CASE:
        raise fault(source, f"this is larger than {LARGEST_CASE / 1e6:.0f} MB", "", len(text))
    try:
        data = json.loads(text, parse_int=_whole, parse_constant=_constant)
    except (json.JSONDecodeError, UnicodeDecodeError) as error:
        where = f"{source} / line {getattr(error, 'lineno', 1)}"
        raise fault(
            where,
            f"this is not JSON: {getattr(error, 'msg', 'unreadable text')}",
            "Look for a missing comma, quote or bracket just before.",
        ) from error
    except ValueError as error:
        raise fault(source, str(error), "Give a number that can be worked with.") from error
    except RecursionError as error:
        raise fault(source, "this is nested too deeply to be a case") from error
    check_keepable(data, source)
    return data


def _whole(text: str) -> int:
    if len(text) > MOST_DIGITS:
        raise ValueError(f"a number has more than {MOST_DIGITS} digits")
    return int(text)


def _constant(text: str) -> float:
    raise ValueError(f"{text} is no number in JSON")


def check_keepable(data: Any, source: str) -> None:
    """Raises CaseError where something in `data` could not be written, or read again."""
    faults = list(_faults(data, (), 0))
    if faults:
        raise CaseError(
            Fault(
                path(source, *f.where.split("\0")) if f.where else source, f.says, f.cure, f.value
            )
            for f in faults[:8]
        )


def _faults(data: Any, at: tuple[str, ...], depth: int) -> Iterator[Fault]:
    where = "\0".join(at)
    if depth > DEEPEST:
        yield Fault(where, f"this is nested deeper than {DEEPEST} levels")
    elif isinstance(data, str):
        yield from _of_text(data, where)
    elif isinstance(data, float) and not -1e308 < data < 1e308:
        yield Fault(where, "the number is not finite", "", str(data))
    elif isinstance(data, int) and not isinstance(data, bool) and abs(data) > 10**MOST_DIGITS:
        yield Fault(where, f"the number has more than {MOST_DIGITS} digits")
    elif isinstance(data, dict):
        for key, value in data.items():
            bad = list(_of_text(str(key), where))
            if bad:
                yield from bad
            else:
                yield from _faults(value, (*at, str(key)), depth + 1)
    elif isinstance(data, list | tuple):
        for k, value in enumerate(data):
            yield from _faults(value, (*at, str(k + 1)), depth + 1)


def _of_text(text: str, where: str) -> Iterator[Fault]:
    if len(text) > LONGEST_TEXT:
        yield Fault(where, f"a text is longer than {LONGEST_TEXT} signs")
    elif not text.isascii() and any("\ud800" <= c <= "\udfff" for c in text):
        yield Fault(
            where,
            "this text cannot be kept: it holds half a character",
            "Type it again.",
            text.encode("utf-8", "replace").decode()[:60],
        )
    elif not text.isprintable() and any(
        (c < " " and c not in _ALLOWED) or "\x7f" <= c <= "\x9f" for c in text
    ):
        yield Fault(
            where,
            "this text holds control characters",
            "Type it again.",
            "".join(c if c.isprintable() else "?" for c in text)[:60],
        )
