"""A bubble that rises, a tenth as heavy as what is around it, against three published codes."""

import numpy as np

SOURCE = "Hysing et al. 2009, case 1: three codes agree to the digits given"


def checks(prove):
    off = []
    for grid in (0.5, 1.0, 2.0):
        run = prove.run(grid=grid)
        t, rise = run.history("rise")
        height = float(run.history("height")[1][-1])
        off.append(abs(height / 1.0813 - 1.0))
        prove.closes(
            f"volume of the bubble, {40 * grid:.0f} cells across",
            run,
            "bubble",
            1e-9,
            "conservation",
            "",
        )
        if grid < 1.0:
            continue
        outline = [run.listing("drops", k) for k in range(len(run.frames))]
        roundest = [float(d["roundness"][d["fluid"] == 1][0]) for d in outline]
        cells = f"{40 * grid:.0f} cells across"
        for name, value, published, unit, limit, reason in (
            ("fastest rise", float(rise.max()), 0.2417, "m/s", 3e-3, ""),
            ("when", float(t[np.argmax(rise)]), 0.9213, "s", 1e-2, "a flat top"),
            ("least roundness", min(roundest), 0.9013, "", 5e-3, "kept every 50 ms"),
            ("height at 3 s", height, 1.0813, "m", 2e-3, ""),
        ):
            prove.check(f"{name}, {cells}", value, published, unit, limit, SOURCE, reason)
    prove.at_least("order of the height", prove.order(off), 1.5, "between first and second")
