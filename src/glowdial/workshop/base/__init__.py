"""What every use case stands on: the workshop, jobs as they are derived, the way of every write."""
