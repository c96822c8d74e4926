"""Circuits as physics: closed forms and solvers that know nothing of a job."""
