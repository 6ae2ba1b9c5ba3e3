"""The film picture with its marks, its tools and the loupe."""
