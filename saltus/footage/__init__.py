"""Reading films and folders of pictures: frame times, exact frames, checks."""
