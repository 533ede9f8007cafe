"""What was proved of a scenario, in the terminal."""

from __future__ import annotations

from muddled_orchard.core.base.phrases import counted
from muddled_orchard.core.key.proof import Proof
from muddled_orchard.show.terminal.characters import sign
from muddled_orchard.show.terminal.plain import Plain, show_item


def show_proof(on: Plain, proof: Proof) -> None:
    """What was proved, in a sentence."""
    points = f"{proof.earned:g} of {proof.possible:g} points"
    told = f"Proved: carried out with Git, the solution earns {points}, and nothing is left to do."
    if proof.ways:
        told += f" {counted(proof.ways, 'other accepted way')} earn{'s' if proof.ways == 1 else ''} "
        told += f"what {'it is' if proof.ways == 1 else 'they are'} worth."
    show_item(on, sign(on, "met"), told, "good")
