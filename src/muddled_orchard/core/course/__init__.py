"""A class: who takes part, what was handed out, what a pile of submissions shows.

`roster`, `records` (what was handed out and graded), `collected` (a graded submission with its owner),
`class_entry` (the same in a line), `class_record` (all of a class, as it counts), `plan` (a course as it
is written), `allowances` (more time, or excused), `drilling` (practising alone), `practice` (what is of a
drill), `uncounted` (why a work counts for nobody), `teams` (whose repository it is, who has which
role), `shared_tasks` (whose turn it is), `totals` (what it adds
up to), `tally` (what was got wrong, counted), `items` and `item_figures` (item statistics), `likeness`,
`told` (what is told of a work wherever it is told of), `one_result` (one submission), `feedback` (what a
learner gets back over all), `practise_next` (what next), `sources` (where repositories are), `pushes`,
`push_feedback` (what Git shows after one), `passwords`, `board`, `changes` (marks that are not what they
were), `findings` (what a pile shows).
"""
