"""One family of errors: what is wrong, where, what was read, what to do."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import asdict, dataclass


@dataclass(frozen=True)
class Fault:
    """`where` is a path into the case ("vessel / parts / slot / width")."""

    where: str
    says: str
    cure: str = ""
    value: str = ""

    def __str__(self) -> str:
        read = f" (read: {self.value})" if self.value else ""
        cure = f" {self.cure}" if self.cure else ""
        return f"{self.where}: {self.says}{read}.{cure}"

    def as_dict(self) -> dict[str, str]:
        return {**asdict(self), "text": str(self)}


class CaseError(ValueError):
    """The case cannot be used as it stands; every fault found is listed."""

    def __init__(self, faults: Iterable[Fault]) -> None:
        self.faults = list(dict.fromkeys(faults))  # one message, however often it was met
        super().__init__("\n".join(str(f) for f in self.faults))


def fault(where: str, says: str, cure: str = "", value: object = "") -> CaseError:
    return CaseError([Fault(where, says, cure, str(value))])


def path(*parts: object) -> str:
    return " / ".join(str(p) for p in parts)
