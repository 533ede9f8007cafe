"""Where each asked operation's result lies in a submission.

`locate` (asks the others), `merges`, `replays`, `matching` (which commit replays which), `attempts`
(what is one at all), `no_commit` (what leaves no new commit), `gone` (branches that were deleted),
`todo` (interactive rebases), `results`.
"""
