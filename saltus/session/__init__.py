"""A document at work, without a window: opened with its links looked up, edited with its links followed."""
