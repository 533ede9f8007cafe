"""board: where everybody stands right now, who needs help first.

`folder_board` (of a folder of submissions), `ledger_board` (of a host's class).
"""
