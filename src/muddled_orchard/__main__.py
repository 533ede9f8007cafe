"""`python -m muddled_orchard` is `muddled`."""

# What `signal` is made of; that itself takes so long to load that Ctrl-C comes in between.
import _signal  # type: ignore[import-not-found]  # typeshed lacks it

# Until the program can say something, Ctrl-C just ends it; who ignores it from the start goes on doing so.
if _signal.getsignal(_signal.SIGINT) is _signal.default_int_handler:
    _signal.signal(_signal.SIGINT, _signal.SIG_DFL)


def main() -> None:
    """Run `muddled` with the arguments of this process, and end it with its exit code."""
    import gc
    import os
    import sys

    # A seventh of a start went into looking for unreachable objects, of which there are none yet.
    gc.set_threshold(100_000, 20, 100)
    from muddled_orchard.cli import main

    code = main()
    for stream in (sys.stdout, sys.stderr):
        try:
            stream.flush()
        except (OSError, ValueError):  # it was told already that nobody takes it
            continue
    os._exit(code)  # all is written and tidied up: to take every module apart is time for nothing


if __name__ == "__main__":  # worker processes import this module too
    main()
