"""A battery plate under a load that goes up and down: by a few shapes against the full way."""

import numpy as np

SOURCE = "the full way, on the same grid and in the same steps"


def checks(prove):
    full, shaped = prove.run(), prove.run(variant="by shapes")
    _, volts = full.history("voltage")
    _, ours = shaped.history("voltage")
    prove.check(
        "voltage, furthest off over five minutes",
        float(np.abs(ours - volts).max()),
        0.0,
        "V",
        1e-3,
        SOURCE,
        "what the reduced way is asked for",
    )
    _, mean = full.history("mean")
    _, most = full.history("most")
    _, least = full.history("least")
    spread = float(((most - least)[1:] / mean[1:]).max())
    prove.at_least("spread of the current it is tried at", spread, 0.01, "so that there is one")
    for name in ("most", "least"):
        _, one = full.history(name)
        _, other = shaped.history(name)
        prove.check(
            f"{name} current, furthest off the full way's, of the mean",
            float((np.abs(other - one)[1:] / mean[1:]).max()),
            0.0,
            "",
            0.01,
            SOURCE,
            "shapes are of even currents",
        )
    for run, words in ((full, "in full"), (shaped, "by shapes")):
        for foil in ("copper", "aluminium"):
            prove.closes(
                f"charge of {foil}, {words}", run, foil, 1e-8, "conservation of charge", "each step"
            )
