"""From positions and times to velocities, accelerations and models of a segment."""
