"""What is asked for while it is being done is done once more, not as often as it was asked for."""

import threading
import unittest

from ironmark.pages.context.one_at_a_time import OneAtATime


class AtATime(unittest.TestCase):
    def test_asked_for_often_it_is_done_once_more(self) -> None:
        one, begun, go_on, done = OneAtATime(), threading.Event(), threading.Event(), list[str]()

        def work() -> None:
            done.append(threading.current_thread().name)
            begun.set()
            self.assertTrue(go_on.wait(10))

        first = threading.Thread(target=one.do, args=("a", work), name="first")
        first.start()
        self.assertTrue(begun.wait(10))
        for _ in range(5):
            one.do("a", work)  # comes back at once
        one.do("b", lambda: done.append("other"))
        self.assertEqual(done, ["first", "other"])
        go_on.set()
        first.join(10)
        self.assertEqual(done, ["first", "other", "first"])

    def test_a_fault_holds_up_nothing_after_it(self) -> None:
        one, done = OneAtATime(), list[int]()

        def fault() -> None:
            one.do("a", lambda: None)  # asked for meanwhile
            raise ZeroDivisionError

        with self.assertRaises(ZeroDivisionError):
            one.do("a", fault)
        one.do("a", lambda: done.append(1))
        self.assertEqual(done, [1])


if __name__ == "__main__":
    unittest.main()
