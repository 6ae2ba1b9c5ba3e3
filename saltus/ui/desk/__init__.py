"""What is in hand and shown, and the threads behind it."""
