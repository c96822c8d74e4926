"""Sums at the bench without a job: each a question with an example, worked by the rules of the
stages, answered in lines, a sentence for the log, and a picture or a plot."""
