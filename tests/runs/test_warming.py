"""What is worked out once is kept: machine code, and words that are units."""

import json
import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from underkettle.engine.compiled import cache_folder, is_warm
from underkettle.quantities import units
from underkettle.runs import warming


class Elsewhere(unittest.TestCase):
    """With a cache of its own."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        patch = mock.patch.dict(os.environ, {"UNDERKETTLE_CACHE": folder.name})
        patch.start()
        self.addCleanup(patch.stop)


class Kernels(Elsewhere):
    def test_it_is_warm_once_all_parts_have_ended_well(self):
        self.assertFalse(is_warm())
        with mock.patch.object(warming, "PARTS", {}):
            warming.warm_up()
        self.assertTrue(is_warm())
        with mock.patch.object(warming, "_alone", side_effect=AssertionError):
            warming.warm_up()  # at once

    def test_a_part_that_fails_is_left_for_later(self):
        with mock.patch.object(warming, "PARTS", {"no such part": warming.pressure}):
            warming.warm_up()
        self.assertFalse(is_warm())

    def test_who_comes_meanwhile_waits(self):
        """And finds that all is done."""
        calls = []

        def done_by_another():
            calls.append("waited")
            (cache_folder() / "whole").touch()
            return mock.MagicMock()

        with (
            mock.patch.object(warming, "_alone", done_by_another),
            mock.patch.object(warming.subprocess, "Popen", side_effect=AssertionError),
        ):
            cache_folder().mkdir(parents=True)
            warming.warm_up()
        self.assertEqual(calls, ["waited"])

    def test_where_nothing_can_be_kept_nobody_waits(self):
        with (
            mock.patch.object(warming.os, "open", side_effect=PermissionError),
            warming._alone(),
        ):
            self.assertFalse(is_warm())


class Words(Elsewhere):
    def setUp(self):
        super().setUp()
        for cached in (units._named, units._words, units.find_unit):
            cached.cache_clear()
            self.addCleanup(cached.cache_clear)

    def fresh(self):
        for cached in (units._named, units._words, units.find_unit):
            cached.cache_clear()

    def test_words_are_looked_up_once(self):
        known = units.find_unit("mmHg"), units.find_unit("kettle"), units.find_unit("degC")
        self.fresh()
        with mock.patch.object(units, "_looked_up", side_effect=AssertionError):
            again = units.find_unit("mmHg"), units.find_unit("kettle"), units.find_unit("degC")
        self.assertEqual(again, known)
        self.assertIsNone(again[1])
        self.assertEqual(again[2].offset, 273.15)

    def test_what_is_kept_badly_is_looked_up_again(self):
        known = units.find_unit("kPa")
        file = units._kept()
        for text in (
            "{",
            "[1]",
            '{"kPa": 3}',
            '{"kPa": ["x", "y"]}',
            '{"kPa": ["0x1p+0", "0x0p+0"]}',
        ):
            file.write_text(text)
            self.fresh()
            self.assertEqual(units.find_unit("kPa"), known, text)
        self.assertIn("kPa", json.loads(file.read_text()))

    def test_not_more_than_so_many_are_kept(self):
        units.find_unit("bar")
        with mock.patch.object(units, "MOST_WORDS", 1):
            units.find_unit("mbar")
        self.assertEqual(list(json.loads(units._kept().read_text())), ["bar"])


if __name__ == "__main__":
    unittest.main()
