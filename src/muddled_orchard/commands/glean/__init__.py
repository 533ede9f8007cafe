"""glean: the conflicts of a real history, and exercises made of them: `found` (listed, kept few), `making` (a
scenario file of one)."""
