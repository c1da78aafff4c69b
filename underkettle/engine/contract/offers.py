"""What phenomena may offer each other, as types.

An offer is exclusive unless its type says that several add up: then the sum is what counts. Where
exclusive ones hold in different zones, each cell takes that of its own zone (`beside`).
Arrays have shape (1, ny + 3, nx + 3) unless said otherwise; SI throughout.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields, replace
from typing import Any, ClassVar, Literal, NamedTuple, TypeVar

import numpy as np

Array = np.ndarray
FLUID = "fluid"  # the phase of a stream that is the only one

AnyOffer = TypeVar("AnyOffer", bound="Offer")


@dataclass(frozen=True)
class Offer:
    """Base of every offer, also of those from outside the package.

    adds : several may be made, and their sum counts. says : what it is, in a sentence.
    """

    adds: ClassVar[bool] = False
    says: ClassVar[str] = ""

    def plus(self: AnyOffer, other: AnyOffer) -> AnyOffer:
        """The sum of two. What is None in both stays so."""
        return replace(
            self,
            **{f.name: _sum(getattr(self, f.name), getattr(other, f.name)) for f in fields(self)},
        )

    def beside(self: AnyOffer, other: AnyOffer, there: Array) -> AnyOffer:
        """This one, and the other in the cells `there` (bool)."""
        return replace(
            self,
            **{
                f.name: _beside(getattr(self, f.name), getattr(other, f.name), there)
                for f in fields(self)
            },
        )

    def is_same(self, other: Offer) -> bool:
        """Whether another one says the same, array by array; those that stay are not looked into."""
        if getattr(self, "steady", False) and getattr(other, "steady", False):
            mine, theirs = (next(iter(vars(o).values())) for o in (self, other))
            if mine is theirs:
                return True
        pairs = zip(vars(self).values(), vars(other).values(), strict=True)
        return all(np.array_equal(a, b) for a, b in pairs)

    def set_aside(self: AnyOffer) -> AnyOffer:
        """The same with arrays of its own, which nobody goes on writing."""
        return replace(self, **{f.name: _copied(getattr(self, f.name)) for f in fields(self)})


def _sum(one: Any, two: Any) -> Any:
    if one is None:
        return two
    return one if two is None else one + two


def _beside(one: Any, two: Any, there: Array) -> Any:
    if one is None or two is None:
        return one if two is None else two
    if isinstance(one, bool):
        return one and bool(two)
    if isinstance(one, Flows):  # neither flows in the other's zone
        return Flows(*(a + b for a, b in zip(one, two, strict=True)))
    return np.where(there, two, one) if isinstance(one, np.ndarray) else one


def _copied(value: Any) -> Any:
    if isinstance(value, np.ndarray):
        return value.copy()
    if isinstance(value, Flows):
        return Flows(*(a.copy() for a in value))
    return value


class Flows(NamedTuple):
    """What passes the grid's faces along x and y, positive along the axis, and out of the vessel
    through each piece of the whole vessel's outline (one number each).
    """

    x: Array
    y: Array
    through: Array


@dataclass(frozen=True)
class Carrier(Offer):
    """A stream, of one phase, that takes along what lives in it.

    volume : m3/s, conservative: what flows into a cell flows out of it, or its volume changes.
    mass : kg/s, where density is solved for; density_before : kg/m3 when the step began.
    before : the volume flows when the step began, where the stream went through the step `span`
    (from, to, in s). fed : mass that others give to cells (kg/s). u, v : velocities on faces (m/s).
    fraction : share of a cell that it fills. unclosed : what more flows out of cells than may, of
    what must close (m3/s, or kg/s), where it does not yet on the way to rest. density (kg/m3),
    viscosity (Pa s, without what eddies add) : what it consists of. walls : how fast each piece of
    the outline moves along x and y (2, n), m/s. damped : share of what holds velocities by which
    they are held to what they were, on the way to rest.
    """

    says: ClassVar[str] = "a stream"
    volume: Flows
    u: Array
    v: Array
    fraction: Array
    mass: Flows | None = None
    density_before: Array | None = None
    before: Flows | None = None
    span: tuple[float, float] | None = None
    fed: Array | None = None
    unclosed: Array | None = None
    density: Array | None = None
    viscosity: Array | None = None
    walls: Array | None = None
    damped: float = 0.0

    def beside(self, other: Carrier, there: Array) -> Carrier:
        """Streams of two zones: neither flows in the other's."""
        return replace(
            super().beside(other, there),
            u=self.u + other.u,
            v=self.v + other.v,
            fed=_sum(self.fed, other.fed),
            unclosed=_sum(self.unclosed, other.unclosed),
            walls=_sum(self.walls, other.walls),
            span=self.span if self.span == other.span else None,
        )


@dataclass(frozen=True)
class Warmth(Offer):
    """What the components of a stream take along of heat, per kelvin, beyond what the rest would:
    flows (W/K) through faces and pieces, and what comes to cells by itself (W/K).

    before : J/(m3 K) that the stream held when the step began. rest : the rest's own heat capacity
    (J/(kg K)). density : kg/m3 that volumes are turned into mass with.
    """

    says: ClassVar[str] = "the warmth of what a stream is made of"
    flows: Flows
    made: Array
    before: Array
    rest: float
    density: float


@dataclass(frozen=True)
class Medium(Offer):
    """What a stream of one phase consists of: density (kg/m3) and viscosity (Pa s).

    mass : where fluids that do not mix make it, kg/s that went through faces and pieces while density
    became that; momentum goes along with it, and viscosity changes from one cell to the next. light :
    kg/m3 that weighs nothing, from whose columns pressures count then.
    """

    says: ClassVar[str] = "density and viscosity"
    density: Array
    viscosity: Array
    mass: Flows | None = None
    light: float | None = None


class Turn(NamedTuple):
    """One axis' turn in which two fluids that do not mix were carried through `span` (s).

    flow : m3/s through faces along it, passed : m3 of the first fluid that they passed; share : of the
    first in cells before, planes : of the pieces in them then, held : whether it filled more than half
    of them when both axes' turns began. Arrays (ny + 3, nx + 3).
    """

    upright: bool
    span: float
    flow: Array
    passed: Array
    share: Array
    planes: Array
    held: Array


@dataclass(frozen=True)
class Apart(Offer):
    """Where either of two fluids that do not mix is, and how they came there.

    share : of the first in what is open of cells (ny + 3, nx + 3). planes : a, b, c of every cell that
    both share, the first lying where a x + b y <= c, x and y from 0 to 1 across it (3, ny + 3, nx + 3).
    turns : what the last step was made of; none before the first.
    """

    says: ClassVar[str] = "two fluids that do not mix"
    share: Array
    planes: Array
    turns: tuple[Turn, ...] = ()


@dataclass(frozen=True)
class Force(Offer):
    """A force on a stream, per volume (N/m3), on x faces and y faces.

    linear_x, linear_y : what it falls by per speed of the stream there (N s/m4), taken implicitly:
    the force is x - linear_x u. None where it does not follow the speed.
    """

    adds: ClassVar[bool] = True
    says: ClassVar[str] = "a force"
    x: Array
    y: Array
    linear_x: Array | None = None
    linear_y: Array | None = None


@dataclass(frozen=True)
class Jump(Offer):
    """What the pressure (Pa) of a stream rises by across x faces and y faces along the axes, as at a
    fan or, below zero, a screen.

    linear_x, linear_y : what it falls by per speed of the stream there (Pa s/m), taken implicitly:
    the rise is x - linear_x u. None where it does not follow the speed.
    """

    adds: ClassVar[bool] = True
    says: ClassVar[str] = "a jump of pressure"
    x: Array
    y: Array
    linear_x: Array | None = None
    linear_y: Array | None = None


@dataclass(frozen=True)
class Resistance(Offer):
    """What porous matter holds a stream back with. The force per volume is -(mu darcy + rho inertia
    |u|) u, u the velocity averaged over pores and matter.

    darcy : 1/m2, inertia : 1/m; tensors (3, ny + 3, nx + 3) with rows xx, xy, yy. shear : viscosity
    that shear feels inside, over the stream's. porosity : share of a cell that is open.
    steady : whether its arrays stay as they are.
    """

    says: ClassVar[str] = "a resistance of porous matter"
    darcy: Array
    inertia: Array
    shear: Array
    porosity: Array
    steady: bool = False


@dataclass(frozen=True)
class Sheet(Offer):
    """Thin sheets that a stream passes, on x faces and y faces, 0 where none is: what passes a face at
    the speed u loses (mu slow + rho fast |u|) u of its pressure.

    slow_x, slow_y : 1/m; fast_x, fast_y : numbers.
    """

    adds: ClassVar[bool] = True
    says: ClassVar[str] = "a thin sheet"
    slow_x: Array
    slow_y: Array
    fast_x: Array
    fast_y: Array


@dataclass(frozen=True)
class Pores(Offer):
    """What porous matter makes of what is carried through it; 1, 1, 0, 0 and 0, 0 where none is.

    porosity : share of a cell that is open. ways : by how much less diffusion spreads in its pores
    than in the open, turns included. along, across : lengths (m) that times the stream's speed
    spread along and across it. capacity : J/(m3 K) and conductivity : W/(m K) that the matter adds
    to a cell. steady : whether its arrays stay as they are.
    """

    says: ClassVar[str] = "pores"
    porosity: Array
    ways: Array
    along: Array
    across: Array
    capacity: Array
    conductivity: Array
    steady: bool = False


@dataclass(frozen=True)
class Turbulence(Offer):
    """What eddies do that are too fast to be followed.

    viscosity : Pa s that they add, energy : J/kg that they hold, rate : 1/s at which they turn over
    (what is dissipated over .09 of the energy). Of every piece of the outline, 0 but on walls:
    friction : friction speed (m/s), scale : the same where a stream comes to rest and eddies do not
    (m/s), grain : height of the wall's grains (m). acts : whether a piece's wall law is to be used.
    pieces : where each lies and how it faces, x, y (m) and the normal out of the stream (4, n).
    """

    says: ClassVar[str] = "turbulence"
    viscosity: Array
    energy: Array
    rate: Array
    friction: Array
    scale: Array
    grain: Array
    acts: Array
    pieces: Array


@dataclass(frozen=True)
class Shear(Offer):
    """Shear of a stream that its velocities in the plane do not tell, as that of swirl.

    square : twice the square of its strain rates (1/s2), which adds to that of the others.
    """

    adds: ClassVar[bool] = True
    says: ClassVar[str] = "a shear"
    square: Array


@dataclass(frozen=True)
class Source(Offer):
    """What each cell is given of a conserved quantity: amount/s.

    linear : what it falls by per unit of the quantity's value (amount/s each), taken implicitly:
    what is given is value - linear c. None where it does not follow the value. passed : what it rises
    by per unit of the value in the cell before it along x, after it along x, before and after it along
    y (4, ny + 3, nx + 3), as where a cloth takes of what comes through it. Mass that is given comes
    with nothing of other quantities, as they are counted, but what its giver offers of them.
    """

    adds: ClassVar[bool] = True
    says: ClassVar[str] = "a source"
    value: Array
    linear: Array | None = None
    passed: Array | None = None


@dataclass(frozen=True)
class Composition(Offer):
    """How much there is of what is followed in a stream.

    names : of the quantities. amounts : mol/m3 of each (n, ny + 3, nx + 3). rises : what that rises by
    per unit of the quantity's value (mol/m3), of the same shape. mole : what one mole is in what the
    quantity is balanced by, 1 of amounts, kg of masses. enthalpies : J/mol of each, formation
    included, as warm as it is there; None where nobody tells. total : mol/m3 of all there is, what
    nobody follows included (ny + 3, nx + 3), and within : of one substance, in whatever it is part of;
    None where nobody tells. films : how fast each comes to every piece of the whole vessel's outline
    from the middle of the cell that faces it (m/s, (n, pieces)), asked only where walls want it.
    """

    adds: ClassVar[bool] = True
    says: ClassVar[str] = "what it is made of"
    names: tuple[str, ...]
    amounts: Array
    rises: Array
    mole: tuple[float, ...]
    enthalpies: Array | None = None
    total: Array | None = None
    within: Callable[[str], Array] | None = None
    films: Callable[[], Array] | None = None

    def plus(self, other: Composition) -> Composition:
        """Both beside each other; one that tells no enthalpies has none."""
        both = (self, other)
        told = any(c.enthalpies is not None for c in both)
        films = [c.films for c in both if c.films is not None]
        each = [np.zeros(c.amounts.shape) if c.enthalpies is None else c.enthalpies for c in both]
        return Composition(
            self.names + other.names,
            np.concatenate([self.amounts, other.amounts]),
            np.concatenate([self.rises, other.rises]),
            self.mole + other.mole,
            np.concatenate(each) if told else None,
            self.total if other.total is None else other.total,
            self.within if other.within is None else other.within,
            (lambda: np.concatenate([f() for f in films])) if len(films) == 2 else None,
        )

    def of(self, substance: str) -> Array | None:
        """mol/m3 of a substance; None where neither is told."""
        if self.within is not None:
            return self.within(substance)
        found = substance in self.names
        return self.amounts[self.names.index(substance)] if found else None


@dataclass(frozen=True)
class Pressure(Offer):
    """Pressure (Pa) in cells."""

    says: ClassVar[str] = "a pressure"
    value: Array


@dataclass(frozen=True)
class Temperature(Offer):
    """Temperature (K) of one phase in cells.

    capacity : J/(m3 K) that is held at constant pressure, where enthalpies of formation are part of
    what is balanced, so that what reacts warms itself; rise : what that rises by per kelvin. balanced :
    the value that heat is balanced by, where that is not the temperature itself, and slope : K per
    unit of it.
    """

    says: ClassVar[str] = "a temperature"
    value: Array
    capacity: Array | None = None
    rise: Array | None = None
    balanced: Array | None = None
    slope: Array | None = None


@dataclass(frozen=True)
class Potential(Offer):
    """An electric potential (V) in cells, of the conductor it is named after."""

    says: ClassVar[str] = "a potential"
    value: Array


@dataclass(frozen=True)
class Provides:
    """One offer that a phenomenon makes.

    of : the phase of a stream, medium or temperature, the quantity of a source, the conductor of a
    potential. zones : where it holds; None for everywhere. at : "old" where it is made of what it
    reads of its reader in the same step, so that the reader takes that of the step before. member :
    whose column asks places about it, where not the phenomenon's own.
    """

    kind: type[Offer]
    of: str = ""
    zones: tuple[str, ...] | None = None
    at: Literal["old", "new"] = "new"
    member: str = ""

    @property
    def says(self) -> str:
        return spoken(self.kind, self.of)


def spoken(kind: type[Offer], of: str = "") -> str:
    """An offer as a sentence says it."""
    words = kind.says or kind.__name__.lower()
    return words if of in ("", FLUID) else f"{words} of {of}"


def merged(
    made: Mapping[str, tuple[AnyOffer, tuple[str, ...] | None]], cells_of: Any
) -> AnyOffer | None:
    """One offer out of those that several make: giver -> (offer, zones where it holds).

    cells_of(zone) : the cells of a zone (bool).
    """
    found: AnyOffer | None = None
    for offer, zones in sorted(made.values(), key=lambda pair: pair[1] is not None):
        if found is None:
            found = offer
        elif offer.adds:
            found = found.plus(offer)
        else:
            there = np.zeros(1, bool)
            for zone in zones or ():
                there = there | cells_of(zone)
            found = found.beside(offer, there)
    return found
