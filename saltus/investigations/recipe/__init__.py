"""What the file of an investigation says."""
