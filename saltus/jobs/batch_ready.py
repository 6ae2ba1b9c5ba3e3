"""What every worker of a batch needs, loaded once by the process that all of them are split from."""

import cv2

from saltus.core.following.made_ready import make_ready
from saltus.jobs import batch_film  # noqa: F401  loaded for the workers

# threads of the process would not be there in those that are split from it
cv2.setNumThreads(1)
make_ready()
