"""drill: practise one kind of conflict, or what is wanting, until it sits.

`practising` (the next exercise, looked at, shown).
"""
