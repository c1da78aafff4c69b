"""Repeats that are led to where they agree."""

import unittest

import numpy as np

from underkettle.engine.marching.agreeing import DEPTH, NEAR, Agreeing


def settle(agreeing, turn, shift, most=60):
    """Repeats until x = turn x + shift holds to 1e-12, each told with what it began with."""
    fields = {"a.x": np.zeros(shift.shape), "b.y": np.ones(3)}
    for k in range(most):
        before = {n: f.copy() for n, f in fields.items()}
        fields["a.x"][...] = turn @ fields["a.x"] + shift
        apart = float(np.abs(fields["a.x"] - before["a.x"]).max())
        if apart < 1e-12:
            return k, fields
        if agreeing is not None:
            agreeing.lead(before, fields, min(apart, NEAR))
    return most, fields


class Led(unittest.TestCase):
    turn = np.diag([0.6, -0.5, 0.3])
    shift = np.array([1.0, 2.0, 3.0])

    def test_to_where_they_agree_in_as_many_as_there_are_ways(self):
        exact = self.shift / (1.0 - np.diag(self.turn))
        plain, found = settle(None, self.turn, self.shift)
        np.testing.assert_allclose(found["a.x"], exact, rtol=1e-10)
        led, found = settle(Agreeing(["a.x"]), self.turn, self.shift)
        np.testing.assert_allclose(found["a.x"], exact, rtol=1e-10)
        self.assertLess(led, 9)
        self.assertGreater(plain, 40)
        self.assertGreaterEqual(DEPTH, 3)

    def test_others_are_left_alone(self):
        _, found = settle(Agreeing(["a.x"]), self.turn, self.shift)
        np.testing.assert_array_equal(found["b.y"], np.ones(3))

    def test_what_is_far_off_is_not_led(self):
        agreeing, fields = Agreeing(["a.x"]), {"a.x": np.array([1.0, 2.0])}
        for began in (0.0, 0.5):
            agreeing.lead({"a.x": np.full(2, began)}, fields, 2.0 * NEAR)
        np.testing.assert_array_equal(fields["a.x"], [1.0, 2.0])

    def test_repeats_that_say_the_same_twice_do_no_harm(self):
        agreeing, fields = Agreeing(["a.x"]), {"a.x": np.array([1.0, 2.0])}
        for _ in range(3):
            agreeing.lead({"a.x": np.array([0.9, 1.9])}, fields, 0.1)
        self.assertTrue(np.isfinite(fields["a.x"]).all())


if __name__ == "__main__":
    unittest.main()
