"""What is said on the Findings stage beside numbers."""
