"""Drops at rest on a wall turned by 30 degrees and on a post: parts of circles, exactly at rest."""

import numpy as np

TENSION, RADIUS, MU = 1.0, 0.2, 0.134164
SOURCE = "Young 1805, Laplace 1806"
LIMITS = "targets of earlier trials of this method: 2.8e-5 on slopes, 2.3e-4 on posts, at 16 cells"


def checks(prove):
    normal, base = np.array([-0.5, np.sqrt(0.75)]), 0.68137 * np.array([np.sqrt(0.75), 0.5])
    for wall, angles, limit in (("slope", (30, 60, 90, 120, 150), 5e-5), ("post", (60, 120), 3e-4)):
        for angle in angles:
            theta, errors = np.radians(angle), []
            for grid in (0.5, 1.0, 2.0) if angle <= 60 else (0.5, 1.0):
                if wall == "slope":
                    at = base - RADIUS * np.cos(theta) * normal
                    probe = base + 0.5 * RADIUS * (1.0 - np.cos(theta)) * normal
                else:
                    post = 2.0 * RADIUS
                    away = np.sqrt(RADIUS**2 + post**2 - 2.0 * RADIUS * post * np.cos(theta))
                    at = np.array([0.613, -0.1 + away])
                    probe = np.array([0.613, -0.1 + 0.5 * (post + away + RADIUS)])
                places = zip(("at_x", "at_y", "probe_x", "probe_y"), (*at, *probe), strict=True)
                run = prove.run(
                    grid=grid,
                    variant=None if wall == "slope" else wall,
                    set={
                        "angle": f"{angle} deg",
                        **{name: f"{place:.12g} m" for name, place in places},
                    },
                )
                read = {n: r.value for n, r in run.readouts.items()}
                errors.append(abs((read["within"] - read["around"]) * RADIUS / TENSION - 1.0))
                _, fastest = run.history("fastest")
                words = f"{wall}, {angle} degrees, {16 * grid:g} cells a radius"
                if grid == 1.0:
                    prove.check(
                        f"fastest stream over sigma/mu at the end, {words}",
                        float(fastest[-1]) * MU / TENSION,
                        0.0,
                        "",
                        limit,
                        LIMITS,
                        "",
                    )
                if grid >= 1.0 and (
                    angle > 30 or grid > 1.0
                ):  # at 30 degrees 2 cells are no middle
                    prove.check(
                        f"pressure within, {words}",
                        read["within"] - read["around"],
                        TENSION / RADIUS,
                        "Pa",
                        5e-3 / grid**2 if angle > 30 else 5e-3,
                        SOURCE,
                        "what a whole drop is held to at 13 cells a radius; second order",
                    )
            if angle == 60:
                prove.at_least(f"order of it, {wall}", prove.order(errors), 1.5, "second")
            prove.closes(
                f"volume, {wall}, {angle} degrees", run, "liquid", 1e-9, "conservation", ""
            )
