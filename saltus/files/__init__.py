"""The one way to read files of others and to write our own: plain ones, bounded, whole or not at all."""
