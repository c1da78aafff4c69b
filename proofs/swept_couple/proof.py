"""The peak of a couple that keeps up with a sweep, at two rates."""

import numpy as np

FARADAY, GAS, T = 96485.33212331, 8.31446261815324, 298.15
D, C, AREA = 1e-9, 1.0, 1e-6
SOURCE = (
    "Randles 1948, Sevcik 1948: .4463 nFc sqrt(nFvD/RT); Nicholson & Shain 1964: 28.5 mV/n beyond"
)


def checks(prove):
    for variant, rate in ((None, 0.05), ("quick", 0.2)):
        run = prove.run(variant=variant)
        _, i = run.history("current")
        _, v = run.history("voltage")
        peak = int(np.argmax(i))
        prove.check(
            f"peak at {1e3 * rate:g} mV/s",
            float(i[peak]),
            0.4463 * FARADAY * C * np.sqrt(FARADAY * rate * D / (GAS * T)) * AREA,
            "A",
            0.01,
            SOURCE,
            "steps of .5 mV",
        )
        prove.check(
            f"where it stands, at {1e3 * rate:g} mV/s",
            float(v[peak]),
            0.0285,
            "V",
            0.06,
            SOURCE,
            "known to a tenth of a millivolt, told in steps of .5 mV",
        )
