"""What places of a hydrogen cell are called, and what is asked of how a case names them."""

from __future__ import annotations

from underkettle.engine.contract import Facts

ME = "hydrogen_cell"
CHANNEL, LAYER, FUEL_CATALYST, AIR_CATALYST, MEMBRANE, COLLECTOR = (
    "a channel",
    "a porous layer",
    "fuel catalyst",
    "air catalyst",
    "membrane",
    "a collector",
)
CLOSED, HELD, DRAWS, DRAWS_PER = "closed", "held", "draws", "draws per area"
FUEL_FED, AIR_FED, LEAVES, FUEL_HERE, AIR_HERE = (
    "fuel fed",
    "air fed",
    "gas leaves",
    "fuel here",
    "air here",
)
DRAINS, FILLS = LIQUID_WAYS = "drains at once", "fills pores"
CATALYSTS = FUEL_CATALYST, AIR_CATALYST
GASES = (CHANNEL, LAYER, *CATALYSTS)  # zones that gas passes
IONOMER = (MEMBRANE, *CATALYSTS)  # zones that protons pass
FED, HERE = (FUEL_FED, AIR_FED), (FUEL_HERE, AIR_HERE)
DRAWN = DRAWS, DRAWS_PER
TERMINALS = (HELD, *DRAWN)

FUEL, AIR = 0, 1
SIDES = "fuel", "air"
BRINGS = {FUEL_FED: FUEL, FUEL_HERE: FUEL, AIR_FED: AIR, AIR_HERE: AIR}  # gas, to which side

# unknowns of cells, in the order in which they are kept, and what the state calls them
SOLID, PROTON, FIRST, VAPOUR, PRESSURE, WATER, LIQUID = range(7)
UNKNOWN = "solid", "proton", "first", "vapour", "pressure", "water", "liquid"

# what takes voltage away, in words
LOST = {
    "oxygen": "the reaction of oxygen",
    "hydrogen": "the reaction of hydrogen",
    "protons": "what protons pass",
    "electrons": "what electrons pass",
    "supply": "lack of gas where it reacts",
}


def zones_of(facts: Facts, *kinds: str) -> list[str]:
    """Zones that are one of these, and have cells."""
    mesh = facts.mesh
    return [z for z in facts.zones() if facts.kind(z, ME) in kinds and mesh.zone_cells(z).any()]


def edges_of(facts: Facts, *kinds: str) -> list[str]:
    return [e for e in facts.edges() if facts.kind(e, ME) in kinds]
