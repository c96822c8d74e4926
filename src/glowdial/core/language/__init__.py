"""The words of the job: quantities, verdicts, errors, levels."""
