"""The command line: one clear sentence for what is wrong, doubts with every run."""

import contextlib
import io
import json
import tempfile
import unittest
import warnings
from pathlib import Path
from unittest import mock

from tests.reading.test_readouts import CHANNEL
from underkettle import cli
from underkettle.case.model import merge_patch
from underkettle.store.library import Library


class Command(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def called(self, *words):
        out, err = io.StringIO(), io.StringIO()
        with (
            mock.patch("sys.argv", ["kettle", *map(str, words)]),
            warnings.catch_warnings(),
            contextlib.redirect_stdout(out),
            contextlib.redirect_stderr(err),
            self.assertRaises(SystemExit) as ended,
        ):
            cli.main()
        return ended.exception.code, out.getvalue(), err.getvalue()

    def case(self, data, name="case.json"):
        path = self.folder / name
        path.write_text(json.dumps(data))
        return path

    def test_what_is_given_twice_is_refused(self):
        code, _, err = self.called("run", self.case(CHANNEL), "--variant", "a", "--variant=b")
        self.assertEqual(code, cli.BAD_INPUT)
        self.assertIn("--variant: this is given twice", err)

    def test_control_characters_do_not_reach_the_terminal(self):
        path = self.case(CHANNEL)
        for words in (
            ("run", path, "--set", "\x1b[31mred=1"),
            ("check", self.case({**CHANNEL, "name": "\x1b[2J"}, "other.json")),
        ):
            code, out, err = self.called(*words)
            self.assertEqual(code, cli.BAD_INPUT)
            self.assertNotIn("\x1b", out + err)
            self.assertTrue(err)

    def test_no_warning_stands_before_the_sentence(self):
        data = merge_patch(
            CHANNEL,
            {"conditions": {"inlet": {"flow": {"speed": "10 mm/s/(1 - 1)", "profile": None}}}},
        )
        _, _, err = self.called("check", self.case(data))
        self.assertTrue(err.startswith("conditions / inlet / flow / speed"), err[:200])
        self.assertNotIn("Warning", err)

    def test_a_run_prints_its_doubts(self):
        lidded = merge_patch(
            CHANNEL,
            {
                "vessel": {"nozzles": None},
                "parameters": {"speed": None},
                "conditions": {
                    "inlet": None,
                    "outlet": None,
                    "box_top": {
                        "flow": {"kind": "moving wall", "x_speed": "1 mm/s", "y_speed": "0 m/s"}
                    },
                },
                "phenomena": {"flow": {"viscosity": "1e-9 Pa s"}},
                "stages": {"go": {"most": 3}},
                "readouts": {"cup": None, "area": None, "flows": None, "twice": None},
            },
        )
        code, out, _ = self.called("check", self.case(lidded))
        self.assertEqual(code, cli.FINISHED)
        self.assertIn("beyond the laminar range", out)
        mild = merge_patch(CHANNEL, {"grid": {"size": "2 mm"}})
        code, out, _ = self.called("run", self.case(mild))
        self.assertEqual(code, cli.FINISHED)
        self.assertIn("doubt          Few cells across Inlet", out)

    def test_homes_that_cannot_be_used_are_told(self):
        file = self.folder / "file"
        file.write_text("x")
        damaged = self.folder / "damaged"
        Library(damaged).close()
        (damaged / "library.sqlite").write_bytes(b"nonsense" * 1000)
        for home, words in ((file, "is a file"), (damaged, "damaged")):
            code, _, err = self.called("serve", "--home", home, "--port", "0")
            self.assertEqual(code, cli.FAILED)
            self.assertIn(words, err)
            self.assertEqual(len(err.strip().splitlines()), 1)
        code, _, err = self.called("restore", "--home", self.folder / "none")
        self.assertIn("nothing to bring back", err)

    def test_a_token_is_shown_once(self):
        code, out, _ = self.called("token", "--home", self.folder / "home")
        self.assertEqual(code, 0)
        self.assertNotIn(out.strip(), (self.folder / "home" / "token").read_text())


if __name__ == "__main__":
    unittest.main()
