"""The computation: arrays and plain values in, plain values out. No files, no interface."""
