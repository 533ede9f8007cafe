"""The verdict on a submission, and the words for it.

`assess`, `case` (what criteria look at), `laying_out`, `conflict_reading`, `other_order` (merges out of
order), `other_commits` (what was not asked for), `criteria/`, `readings` (how a file was resolved),
`carrying` (the key's answers for another merge), `remote`, `doubts`, `others_values` (perhaps copied),
`notes` (how they worked), `assessment`, `finding`, `kinds` (what can be found, as data), `summary`,
`hints`, `unseen`, `settling` (persons' verdicts), `shared_work` (a team's, for one of them),
`given` (what was handed out done earns nothing), `verdicts` (results without their texts),
`rehearsal` (what an acted learner must get), `own_conflicts` (that a learner made, as steps of a key),
`anonymous` (without what is a learner's own).
"""
