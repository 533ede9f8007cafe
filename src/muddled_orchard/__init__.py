"""Muddled Orchard: practice repositories whose branches conflict, handed out and graded."""

__version__ = "0.6.0"
