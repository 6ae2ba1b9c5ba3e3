"""From places in the picture to places in the world."""
