"""A case as parts of its vessel move: what solvers look at, and what they are told of a move."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

from underkettle.case.faults import CaseError
from underkettle.case.worked import Worked
from underkettle.engine.contract import Geometry, Shift, StepFailed

FASTEST = 0.45  # of the smallest cell that a part passes in one step, by its speed at the start
FARTHEST = 0.9  # of it, beyond which the step is taken back


class Sees(Protocol):
    """What looks at the case as it stands now."""

    def see(self, case: Worked) -> None: ...


class Moving:
    """The case as drawn, as it stood when the step began, and as it stands at its end.

    tell : is given the case whenever it has changed for good.
    """

    def __init__(
        self, case: Worked, views: Mapping[str, Sees], tell: Callable[[Worked], None]
    ) -> None:
        self.drawn = self.before = self.now = case
        self.views, self.tell = views, tell
        self.smallest = case.grid.finest

    def to(self, shifts: Mapping[str, Shift]) -> dict[str, Geometry]:
        """Move parts to where they are at the end of a step: what each phenomenon is to take over."""
        try:
            self._stand({name: (s.x, s.y) for name, s in shifts.items()})
        except CaseError as error:
            raise StepFailed("the vessel", ", ".join(shifts), str(error)) from error
        for name, shift in shifts.items():
            x, y = self.before.far.get(name, (0.0, 0.0))
            way = max(abs(shift.x - x), abs(shift.y - y))
            if way > FARTHEST * self.smallest:
                raise StepFailed(
                    "the vessel", name, f"it would pass {way / self.smallest:.2g} cells in one step"
                )
        speeds = {
            edge: (s.u, s.v) for name, s in shifts.items() for edge in self.now.edges_of(name)
        }
        return {
            name: Geometry(self.now.mesh_of(name), self.before.mesh_of(name), speeds)
            for name in self.views
        }

    def begin(self, shifts: Mapping[str, Shift]) -> None:
        """Stand as at the beginning of a run."""
        self._stand({name: (s.x, s.y) for name, s in shifts.items()})
        self.keep()

    def change(self, case: Worked) -> None:
        """Go on with another case of the same vessel, parts where they stand now."""
        self.drawn = case
        self.now = self.before = case.moved(self.now.far)
        for view in self.views.values():
            view.see(self.now)
        self.tell(self.now)

    def _stand(self, far: Mapping[str, tuple[float, float]]) -> None:
        far = {name: by for name, by in far.items() if by != (0.0, 0.0)}
        self.now = self.before if far == self.before.far else self.drawn.moved(far)
        for view in self.views.values():
            view.see(self.now)

    def keep(self) -> None:
        """The step has been taken: the next one begins from here."""
        if self.before is not self.now:
            self.before = self.now
            self.tell(self.now)

    def longest(self, shifts: Mapping[str, Shift]) -> float:
        """The longest step (s) in which no part passes more than a share of a cell."""
        fastest = max((max(abs(s.u), abs(s.v)) for s in shifts.values()), default=0.0)
        return FASTEST * self.smallest / fastest if fastest > 0 else float("inf")
