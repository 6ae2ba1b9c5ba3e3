"""Finding a body again in picture after picture: place, covariance, and whether it was seen at all."""
