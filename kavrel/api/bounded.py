"""Work that may not take for ever: it is given up when its time is over."""

import ctypes
import threading
from collections.abc import Callable
from typing import TypeVar

Result = TypeVar("Result")


class TooLong(Exception):
    """Raised, in the worker and for whoever waits, when the time is over."""


def within(seconds: float, work: Callable[[], Result]) -> Result:
    """The result of the work, or what it raised; raises TooLong when it takes longer than that.

    The work runs in a thread of its own that is interrupted at its next step of Python.
    """
    ended: list[Result] = []
    raised: list[BaseException] = []

    def run() -> None:
        try:
            ended.append(work())
        except BaseException as error:
            raised.append(error)

    worker = threading.Thread(target=run, name="bounded", daemon=True)
    worker.start()
    worker.join(seconds)
    if worker.is_alive():
        # CPython's own way of ending a thread's work: the exception is raised inside it.
        ctypes.pythonapi.PyThreadState_SetAsyncExc(
            ctypes.c_ulong(worker.ident or 0), ctypes.py_object(TooLong)
        )
        raise TooLong(f"not done after {seconds:g} s")
    if raised:
        raise raised[0]
    return ended[0]
