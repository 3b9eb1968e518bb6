"""What was changed, by whom, and back to an earlier state."""
