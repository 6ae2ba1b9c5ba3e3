"""What is wrong with what was laid over a picture."""


class GeometryError(ValueError):
    """Something laid over the picture that cannot be used, in a sentence."""
