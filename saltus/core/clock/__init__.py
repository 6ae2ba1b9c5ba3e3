"""Frame times: what the clock of a recording tells, and how far it can be trusted."""
