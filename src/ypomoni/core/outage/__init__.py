"""What happens when the mains fails: who draws what, what the battery does, when it ends and why, and how it is charged again."""
