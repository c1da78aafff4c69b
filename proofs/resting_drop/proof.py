"""A drop at rest: Laplace's pressure within, and what errors of the curvature drive."""

TENSION, RADIUS, MU = 1.0, 0.2, 0.00577350269
SOURCE = "Young 1805, Laplace 1806"
LIMITS = "targets of earlier trials of this method"


def checks(prove):
    for variant, ratio in ((None, 1), ("light", 1000)):
        errors = []
        for grid in (0.5, 1.0, 2.0):
            run = prove.run(grid=grid, variant=variant)
            read = {n: r.value for n, r in run.readouts.items()}
            errors.append(abs((read["within"] - read["around"]) * RADIUS / TENSION - 1.0))
            _, fastest = run.history("fastest")
            prove.check(
                f"fastest stream over sigma/mu, ratio {ratio}, {12.8 * grid:.3g} cells across",
                float(fastest.max()) * MU / TENSION,
                0.0,
                "",
                2e-4 if grid < 1 else 5e-5,
                LIMITS,
                "coarser than they are told for" if grid < 1 else "",
            )
        prove.check(
            f"pressure within, ratio {ratio}, 26 cells across",
            read["within"] - read["around"],
            TENSION / RADIUS,
            "Pa",
            5e-3,
            SOURCE,
            LIMITS,
        )
        prove.at_least("order of it", prove.order(errors), 1.7, "second")
        for fluid in ("liquid", "rest"):
            prove.closes(
                f"volume of {fluid}", run, fluid, 1e-9, "conservation", "of what flows close"
            )
