"""host: serve a course over Git: learners clone and push, and hear back at once.

`server` (begins, listens, keeps up), `app` (what is asked for), `addresses` (from where), `paths` (below
another one), `host` (what answers are made of), `git_requests`, `page_requests`, `protocol` (HTTP with
patience), `connections` (bounded), `turns` (whose turn it is), `held` (bytes that are held), `received`
(bodies), `refused`, `repositories` (their folder), `git_service` (`git http-backend`), `access` (passwords),
`course_source` (the files of the course), `served_course`, `drill`, `teammates` (who push meanwhile),
`branches` (how a team's stand), `push_desk` (pushes written down and graded), `push_grading` (in
processes), `tidying` (objects packed anew), `events` (news for pages), `watched` (is it ready, its
figures), `enrolment`, `listening`, `clock`, `pages`, `slips` (to be cut out).
"""
