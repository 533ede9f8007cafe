"""The roster and the ledger."""
