"""What of a case can be seen, followed and balanced, by name."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property

import numpy as np

from underkettle.case.derived import Dimensions, derived_fields, tell_dimensions
from underkettle.case.known import made_of
from underkettle.case.naming import Balanced, Named
from underkettle.case.recorded import recorded
from underkettle.case.worked import Worked
from underkettle.engine.contract import Field, Listing
from underkettle.engine.marching.state import State
from underkettle.engine.mesh import Mesh
from underkettle.reading.kinds import KINDS


class Fields:
    """Fields, listings and quantities of the phenomena that are switched on, and those by formula."""

    def __init__(self, case: Worked) -> None:
        self.case = case

    def fields(self) -> Named[tuple[str, Field]]:
        """Every field that fills the vessel: name -> (phenomenon, it)."""
        return self._fields

    @cached_property
    def _fields(self) -> Named[tuple[str, Field]]:
        long, own = self._declared_fields
        return Named(
            *({n: f for n, f in told.items() if f[1].where != "edge"} for told in (long, own))
        )

    @cached_property
    def edge_fields(self) -> Named[tuple[str, Field]]:
        """What has one value per edge: name -> (phenomenon, it)."""
        return Named({n: f for n, f in self._declared_fields[0].items() if f[1].where == "edge"})

    @cached_property
    def listings(self) -> Named[Listing]:
        """What the phenomena follow one by one."""
        return Named(
            {
                f"{name}.{listing.name}": listing
                for name, p in self.case.phenomena.items()
                for listing in p.listings(self.case.settings[name])
            }
        )

    def with_edges(self, name: str) -> Listing:
        """What is followed under a name, its entries told the names of the edges that they number."""
        listing = self.listings[name]
        if not any(e.edge for e in listing.entries):
            return listing
        owner = next(n for n, p in self.case.phenomena.items() if listing.array.startswith(f"{n}."))
        words = tuple(e.replace("_", " ") for e in self.case.mesh_of(owner).edges)
        told = (replace(e, words=words) if e.edge else e for e in listing.entries)
        return replace(listing, entries=tuple(told))

    @cached_property
    def quantities(self) -> Named[Balanced]:
        """What the phenomena balance."""
        return Named(
            {
                f"{name}.{quantity}": Balanced(name, quantity, dimension)
                for name, p in self.case.phenomena.items()
                for quantity, dimension in p.quantities(self.case.settings[name]).items()
            }
        )

    @cached_property
    def _declared_fields(
        self,
    ) -> tuple[dict[str, tuple[str, Field]], dict[str, tuple[str, Field]]]:
        """Fields of phenomena by their long names; terms to be kept and formulas by their own."""
        long = {
            f"{name}.{f.name}": (name, f)
            for name, p in self.case.phenomena.items()
            for f in map(self._bound, p.fields(self.case.settings[name]))
        }
        own: dict[str, tuple[str, Field]] = {}
        for k, asked in enumerate(self.case.model.record):
            column, _, term = asked.rpartition(".")
            field = recorded(self.case, column, term, k)
            own[field.name] = (column.partition(".")[0], field)
        found = Named(long, own)
        return long, {**own, **derived_fields(self.case, found, self._dimensions_with(found))}

    def _bound(self, field: Field) -> Field:
        """A field made of others, told where to find them."""
        if field.made is None:
            return field

        def derive(mesh: Mesh, state: State) -> np.ndarray:
            return made_of(self.case, field, mesh, state)[None]

        return replace(field, derive=derive)

    @cached_property
    def dimensions(self) -> Dimensions:
        """Of derived fields and readouts, as far as they can be told."""
        return self._dimensions_with(Named(*self._declared_fields))

    def _dimensions_with(self, fields: Named[tuple[str, Field]]) -> Dimensions:
        return tell_dimensions(
            self.case.model,
            self.case.names,
            {n: f for n, (_, f) in fields.every().items() if n not in self.case.model.derived},
            {n: q.dimension for n, q in self.quantities.every().items()},
            {
                f"{name}.{entry.name}": entry.dimension
                for name, listing in self.listings.every().items()
                for entry in listing.entries
            },
        )

    def by_key(self) -> None:
        """Let readouts and what is kept name fields and quantities by their keys."""
        for name, readout in self.case.model.readouts.items():
            changed = {
                entry: known.kept(typed)
                for entry, typed, known in (
                    ("field", readout.field, KINDS[readout.kind].fields(self.case)),
                    ("quantity", readout.quantity, self.quantities),
                )
                if typed is not None
            }
            self.case.model.readouts[name] = readout.model_copy(update=changed)
        self.case.model.keep.fields = [self.fields().kept(n) for n in self.case.model.keep.fields]
