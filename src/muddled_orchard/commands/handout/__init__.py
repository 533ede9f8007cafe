"""handout: pack one repository a learner, each with numbers of its own.

`pushing` (a class, to servers), `handed_out` (what a run came to).
"""
