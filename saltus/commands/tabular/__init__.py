"""Tables and JSON of the command line, in and out."""
