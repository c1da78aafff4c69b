"""Drag, lift and frequency of a cylinder that sheds eddies, Re 100."""

import numpy as np

SOURCE = "Schaefer & Turek 1996, case 2D-2 (from memory): 3.22-3.24, .99-1.01, St .295-.305"
SPEED, DIAMETER = 1.0, 0.1


def read(run):
    """Largest drag and lift coefficients and the Strouhal number over the last whole periods."""
    scale = 2 / (SPEED**2 * DIAMETER)
    frames = [f for f in run.frames if f.stage == "watch"]
    t = np.array([f.value for f in frames])
    drag, lift = (scale * np.array([f.readouts[n] for f in frames]) for n in ("drag", "lift"))
    up = np.flatnonzero((lift[:-1] < 0) & (lift[1:] >= 0))
    cross = t[up] - lift[up] * (t[up + 1] - t[up]) / (lift[up + 1] - lift[up])
    period = float(np.diff(cross).mean())
    return float(drag.max()), float(lift.max()), DIAMETER / (period * SPEED)


def checks(prove):
    run = prove.run(grid=1.2)
    drag, lift, strouhal = read(run)
    prove.check("largest drag coefficient", drag, 3.23, "", 0.015, SOURCE, "engine target: 1.5 %")
    prove.check("largest lift coefficient", lift, 1.0, "", 0.04, SOURCE, "engine target: 4 %")
    prove.check(
        "Strouhal number",
        strouhal,
        0.3,
        "",
        0.005 / 0.3,
        SOURCE,
        "engine target: inside .295 to .305",
    )
    prove.closes(
        "mass in against mass out",
        run,
        "mass",
        1e-10,
        "conservation",
        "engine target per transient step",
    )
