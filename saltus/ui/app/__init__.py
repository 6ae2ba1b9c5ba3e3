"""The window and what stands around its stages."""
