"""A listener that keeps what a run tells."""


class Recorder:
    def __init__(self):
        self.residuals, self.lines = [], []

    def step(self, report):
        self.residuals.append(max(report.residuals.values()))

    def frame(self, *args):
        pass

    def log(self, text, kind, state):
        self.lines.append(text)

    def safe_point(self, state):
        pass
