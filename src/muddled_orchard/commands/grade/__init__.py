"""grade: grade one submission or a whole folder of them.

`fetching` (one submission, from a server), `changed_marks` (marks that are not what they were),
`class_findings` (what doesn't fit together); the files that a grading is written to: `writers` knows them
all, `gradebook`, `junit`, `messages` (what is wrong, and where), `annotations` (the forms of that),
`markdown` (a job's summary).
"""
