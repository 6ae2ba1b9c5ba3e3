"""The virtual camera: films of motions whose truth is known."""
