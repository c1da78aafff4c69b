"""A short run of generated requests; the long one is `make fuzz`."""

import tempfile
import unittest
import warnings
from pathlib import Path


class Generated(unittest.TestCase):
    def test_no_server_error_and_nothing_undescribed(self):
        warnings.simplefilter("ignore")
        from tests.fuzz import fuzz

        with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
            self.assertEqual(fuzz(Path(folder), 5), [])


if __name__ == "__main__":
    unittest.main()
