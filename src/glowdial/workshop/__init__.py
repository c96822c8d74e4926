"""Use cases: open a job, record a reading, judge it, propose the next step, report."""
