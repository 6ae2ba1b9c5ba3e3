"""What a screen or a sheet shows of an investigation."""
