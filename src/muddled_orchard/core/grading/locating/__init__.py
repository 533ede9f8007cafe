"""Where each asked operation's result lies in a submission.

`locate` (asks the others), `merges`, `replayed`, `matching` (which commit replays which), `attempts`
(what is one at all), `without_commit` (what leaves no new commit), `gone` (branches that were deleted),
`lists` (interactive rebases), `results`.
"""
