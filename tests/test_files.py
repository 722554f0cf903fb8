import tempfile
import unittest
from pathlib import Path

from jump_lane.errors import InputError, nearest
from jump_lane.files import require_free, write_whole


class Writing(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_whole_and_not_unasked(self) -> None:
        path = self.folder / "a.txt"
        write_whole(path, "one µ")
        with self.assertRaisesRegex(InputError, "exists; --overwrite"):
            write_whole(path, "two")
        self.assertEqual(path.read_text(encoding="utf-8"), "one µ")
        write_whole(path, b"two", overwrite=True)
        self.assertEqual(path.read_bytes(), b"two")
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.txt"])

    def test_a_failure_leaves_nothing_behind(self) -> None:
        path = self.folder / "a.txt"
        with self.assertRaises(TypeError):
            write_whole(path, 3)  # type: ignore[arg-type]
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_places_that_cannot_be_written(self) -> None:
        with self.assertRaisesRegex(InputError, "is a folder"):
            require_free(self.folder, True)
        with self.assertRaisesRegex(InputError, "does not exist"):
            require_free(self.folder / "none" / "a.txt", False)


class Nearest(unittest.TestCase):
    def test_the_nearest_name_or_all(self) -> None:
        self.assertEqual(nearest("frequncy", ["frequency", "mode"]), "nearest valid name: frequency")
        self.assertEqual(nearest("xyz", ["b", "a"]), "valid names: a, b")
