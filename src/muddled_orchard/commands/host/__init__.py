"""host: serve a course over Git: learners clone and push, and hear back at once.

`server` (begins, listens, keeps up), `app` (who asks, and what for), `host` (what answers are made of),
`git_requests`, `page_requests`, `protocol` (HTTP with patience), `repositories` (their folder),
`git_service` (`git http-backend`), `access` (passwords), `received` (bodies), `served_course`,
`push_desk` (pushes written down and graded), `push_grading` (in processes), `events` (news for pages),
`enrolment`, `listening`, `clock`, `pages`, `slips` (to be cut out and handed out).
"""
