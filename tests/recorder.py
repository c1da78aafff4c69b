"""A listener that keeps what a run tells."""

from underkettle.engine.marching.listening import Quiet


class Recorder(Quiet):
    """Keeps how far every step still moved, and what is said: kind and text."""

    def __init__(self):
        self.residuals, self.said = [], []

    @property
    def lines(self):
        return [text for _, text in self.said]

    def step(self, report):
        self.residuals.append(max(report.residuals.values(), default=0.0))

    def log(self, text, kind, state):
        self.said.append((kind, text))
