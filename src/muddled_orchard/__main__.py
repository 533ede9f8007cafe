"""`python -m muddled_orchard` is `muddled`."""

# What `signal` is made of; that itself takes so long to load that Ctrl-C comes in between.
import _signal  # type: ignore[import-not-found]  # typeshed lacks it

# Until the program can say something, Ctrl-C just ends it; who ignores it from the start goes on doing so.
if _signal.getsignal(_signal.SIGINT) is _signal.default_int_handler:
    _signal.signal(_signal.SIGINT, _signal.SIG_DFL)


def main() -> int:
    """Run `muddled` with the arguments of this process and return its exit code."""
    from muddled_orchard.cli import main

    return main()


if __name__ == "__main__":  # worker processes import this module too
    raise SystemExit(main())
