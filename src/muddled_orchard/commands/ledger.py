"""Show what the course's database holds, or export it."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from muddled_orchard.commands.options import add_ledger
from muddled_orchard.core.problems import BadInput, Problem
from muddled_orchard.files.ledger import Ledger
from muddled_orchard.files.packing import write_atomically
from muddled_orchard.reports.ledger_view import TABLES, as_csv, as_json, show_ledger
from muddled_orchard.reports.terminal import console


def add_options(parser: argparse.ArgumentParser) -> None:
    """The options of `muddled ledger`."""
    add_ledger(parser)
    parser.add_argument(
        "--table", choices=TABLES, default=TABLES[0], help="what --csv exports (default: %(default)s)"
    )
    parser.add_argument("--csv", metavar="FILE", type=Path, help="export a table (CSV)")
    parser.add_argument("--json", action="store_true", help="print everything as JSON instead")


def run(options: argparse.Namespace) -> int:
    """Show or export."""
    ledger = Ledger(options.ledger)
    try:
        if options.json:
            print(json.dumps(as_json(ledger.learners(), ledger.hand_outs(), ledger.gradings()), indent=1))
        elif options.csv is not None:
            text = as_csv(options.table, ledger.learners(), ledger.hand_outs(), ledger.gradings())
            try:
                write_atomically(options.csv, text.encode())
            except OSError as error:
                what = f"can't be written: {error.strerror}"
                raise BadInput(Problem(what, file=str(options.csv))) from None
        else:
            show_ledger(
                console(), str(options.ledger), ledger.learners(), ledger.hand_outs(), ledger.gradings()
            )
    finally:
        ledger.close()
    return 0
