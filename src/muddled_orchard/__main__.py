"""`python -m muddled_orchard` is `muddled`."""

from muddled_orchard.cli import main

raise SystemExit(main())
