"""Saltus: a bench for measuring motion from recorded video and timed trials."""

__version__ = "0.1.0"

import gc as _gc
import os as _os

# pictures of strangers: nothing larger is decoded; the picture library asks once, when it is loaded
_os.environ.setdefault("OPENCV_LOG_LEVEL", "SILENT")
_os.environ["OPENCV_IO_MAX_IMAGE_PIXELS"] = str(64_000_000)
# matrices are small here: threads of the numerical library only wait for each other, and take the cores of
# those that decode and follow
_os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# most of what is made lies in trees and is let go with them: circles are looked for less often
_gc.set_threshold(50_000, 20, 50)
