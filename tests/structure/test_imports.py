"""Who may import whom: layers in one order, and no circle, also of imports for types only."""

import ast
import os
import subprocess
import sys
import unittest
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent.parent
# lower ones never import higher ones; what stands in one line may know each other
LAYERS = (
    ("cache",),
    ("quantities",),
    ("engine",),
    ("paper", "matter", "sums"),
    ("phenomena",),
    ("reading", "case"),
    ("store", "formats"),
    ("runs",),
    (
        "api",
        "exporting",
        "proving",
        "benching",
        "benching_charge",
        "benching_fluids",
        "benching_gas",
        "benching_steady",
        "conformance",
    ),
    ("server",),
    ("cli",),
)
LEVEL = {name: k for k, layer in enumerate(LAYERS) for name in layer}


def modules():
    found = {}
    for file in sorted((ROOT / "underkettle").rglob("*.py")):
        parts = file.relative_to(ROOT).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = file
    return found


def imported(file, known):
    """Modules of the package that a file imports, wherever it does."""
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module in known:
            names = [f"{node.module}.{a.name}" for a in node.names]
            inner = [n for n in names if n in known]
            yield from inner
            if len(inner) < len(names):
                yield node.module
        elif isinstance(node, ast.Import):
            yield from (a.name for a in node.names if a.name in known)


class Imports(unittest.TestCase):
    def setUp(self):
        self.known = modules()
        self.graph = {
            name: set(imported(file, self.known)) - {name} for name, file in self.known.items()
        }

    def test_no_circle(self):
        try:
            order = list(TopologicalSorter(self.graph).static_order())
        except CycleError as error:
            self.fail(f"these import each other in a circle: {' -> '.join(error.args[1])}")
        self.assertEqual(len(order), len(self.known))

    def test_lower_layers_know_nothing_of_higher_ones(self):
        for name, others in self.graph.items():
            parts = name.split(".")
            if len(parts) < 2 or parts[1] not in LEVEL:
                continue
            for other in others:
                layer = other.split(".")[1] if "." in other else ""
                if layer in LEVEL:
                    with self.subTest(imports=f"{name} -> {other}"):
                        self.assertLessEqual(LEVEL[layer], LEVEL[parts[1]])

    def test_every_folder_has_its_layer(self):
        folders = {n.split(".")[1] for n in self.known if "." in n} - {"__main__"}
        self.assertLessEqual(folders, set(LEVEL))

    def test_no_phenomenon_knows_another(self):
        for name, others in self.graph.items():
            if name.startswith("underkettle.phenomena."):
                own = name.split(".")[2]
                for other in others:
                    if other.startswith("underkettle.phenomena."):
                        self.assertEqual(other.split(".")[2], own, name)


class Nameless(unittest.TestCase):
    def test_what_is_declared_is_known_without_loading_solvers(self):
        code = (
            "import sys; from underkettle.engine.contract import find_phenomena; find_phenomena();"
            "print(*[n for n in ('scipy.sparse', 'scipy.spatial') if n in sys.modules])"
        )
        told = subprocess.run(
            [sys.executable, "-c", code],
            capture_output=True,
            text=True,
            check=True,
            cwd=ROOT,
            env={k: v for k, v in os.environ.items() if k != "PYTHONPATH"},  # ours, not the toys
        )
        self.assertEqual(told.stdout.strip(), "")

    def test_nothing_outside_its_folder_names_a_phenomenon_s_class(self):
        named = (
            *("flow", "species", "heat", "mixture", "swirl", "scalar", "buoyancy"),
            *(
                "porous",
                "percolation",
                "cloth",
                "age",
                "wicking",
                "turbulence",
                "reactions",
                "radiation",
                "charge",
                "electrostatics",
                "hydrogen_cell",
                "two_fluids",
                "solutes",
                "flame",
            ),
        )
        for name, file in modules().items():
            if name.startswith("underkettle.phenomena"):
                continue
            with self.subTest(module=name):
                text = file.read_text()
                for phenomenon in named:
                    self.assertNotIn(f"underkettle.phenomena.{phenomenon}", text)


if __name__ == "__main__":
    unittest.main()
