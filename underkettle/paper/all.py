"""Every hand relation, by name."""

from underkettle.paper import cells, charge, ducts, exchange, soaking, stay, surfaces
from underkettle.paper.relation import Relation

RELATIONS: dict[str, Relation] = {
    r.name: r
    for module in (cells, charge, ducts, exchange, soaking, stay, surfaces)
    for r in module.RELATIONS
}
