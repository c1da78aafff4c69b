"""Values are evaluated at a place: positions and a time, in one argument."""

import unittest

import numpy as np

from underkettle.case.values import Names, read_parameters, read_quantity
from underkettle.quantities import NOWHERE, Place, dimension_of


def read(text, dimension="length", **parameters):
    names = read_parameters(parameters) if parameters else Names({}, {})
    return read_quantity(text, dimension, names, "here")


class Places(unittest.TestCase):
    def test_a_number_is_the_same_everywhere(self):
        self.assertEqual(read("3 mm").at(), 3e-3)
        self.assertEqual(read("3 mm").at(Place(x=np.zeros(4), t=9.0)), 3e-3)

    def test_a_formula_reads_position_and_time(self):
        value = read("x + 2 * y + t * a", a="2 m/s")
        np.testing.assert_allclose(
            value.at(Place(x=np.array([0.0, 1.0]), y=0.5, t=3.0)), [7.0, 8.0]
        )

    def test_a_table_reads_time_alone(self):
        value = read({"table": [["0 s", "1 m"], ["2 s", "3 m"]]})
        self.assertEqual(value.at(NOWHERE), 1.0)
        self.assertEqual(value.at(Place(x=np.arange(3.0), t=1.0)), 2.0)

    def test_what_is_solved_comes_beside_the_place(self):
        value = read_quantity(
            "2 * level", "length", Names({}, {}), "here", solved={"level": dimension_of("length")}
        )
        self.assertEqual(value.reads, {"level"})
        self.assertEqual(value.at(NOWHERE, {"level": 4.0}), 8.0)

    def test_some_of_the_positions(self):
        some = Place(x=np.arange(4.0), y=np.arange(4.0) ** 2, t=5.0)[np.array([1, 3])]
        np.testing.assert_array_equal(some.x, [1.0, 3.0])
        np.testing.assert_array_equal(some.y, [1.0, 9.0])
        self.assertEqual((some.z, some.t), (0.0, 5.0))

    def test_another_time(self):
        place = Place(x=1.0, t=2.0)
        self.assertEqual((place.then(7.0).x, place.then(7.0).t, place.t), (1.0, 7.0, 2.0))

    def test_no_parameter_takes_a_coordinate_s_name(self):
        for name in NOWHERE.names():
            with self.assertRaisesRegex(Exception, "already means"):
                read_parameters({name: "1 m"})


if __name__ == "__main__":
    unittest.main()
