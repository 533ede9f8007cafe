"""rehearse: act out typical learners, and check that they are graded right."""
