"""The end of a long log tells what failed, and of what."""

from django.test import SimpleTestCase

from ops.checks import why


class Reasons(SimpleTestCase):
    def test_each_test_that_failed_is_told_with_what_it_failed_of(self) -> None:
        told = [
            "..F", "=" * 70, "FAIL: test_a (tests.test_x.X.test_a)", "-" * 70, "Traceback (most recent call last):", '  File "x.py", line 1',
            "AssertionError: 1 != 2", "", "ERROR: test_b (tests.test_x.X.test_b)", "    raise Odd", "playwright._impl._errors.TimeoutError: 30000 ms",
            "Ran 3 tests in 1 s", "", "FAILED (failures=1)", "ValueError: of a thread that ended late",
        ]  # fmt: skip
        self.assertEqual(
            why(told),
            [
                "FAIL: test_a (tests.test_x.X.test_a)", "  AssertionError: 1 != 2",
                "ERROR: test_b (tests.test_x.X.test_b)", "  playwright._impl._errors.TimeoutError: 30000 ms",
            ],
        )  # fmt: skip

    def test_what_names_no_test_is_told_by_its_last_words(self) -> None:
        self.assertEqual(why(["a.py:3: error: x", "Found 1 error in 1 file", ""]), ["Found 1 error in 1 file"])
        self.assertEqual(why([]), [""])
