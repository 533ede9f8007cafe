"""`python -m muddled_orchard` is `muddled`."""

from muddled_orchard.cli import main

if __name__ == "__main__":  # worker processes import this module too
    raise SystemExit(main())
