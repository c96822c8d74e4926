"""The rules and the computation of the job: pure functions over frozen data, SI units inside."""
