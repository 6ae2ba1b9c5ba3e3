"""Small films of many kinds, encoded on the spot for the tests."""

from fractions import Fraction

import av
import numpy as np


def numbered_picture(number, width=96, height=64, *, still=False):
    """A picture whose content tells its number: a moving bright block on texture, and a bar code."""
    rng = np.random.default_rng(7)
    picture = rng.integers(60, 120, (height, width, 3), dtype=np.uint8)
    x = 8 if still else 4 + 3 * number % (width - 20)
    picture[height // 2 : height // 2 + 12, x : x + 10] = (230, 210, 60)
    for bit in range(8):
        picture[2:8, 4 + 8 * bit : 10 + 8 * bit] = 255 if not still and number >> bit & 1 else 0
    return picture


def encode(path, pictures, *, codec="libx264", ticks=None, base=Fraction(1, 30), options=None,
           aspect=None, turn=None, pixel="yuv420p", sound=False, notes=None):  # fmt: skip
    """Write pictures as a film; ticks are presentation times in the base."""
    with av.open(str(path), "w", options={"movflags": "use_metadata_tags"} if notes else {}) as container:
        container.metadata.update(notes or {})
        stream = container.add_stream(codec, rate=30, options=options or {})
        stream.height, stream.width = pictures[0].shape[:2]
        stream.pix_fmt = pixel
        stream.codec_context.time_base = base
        if aspect:
            stream.codec_context.sample_aspect_ratio = aspect
        if turn is not None:
            stream.set_display_rotation(turn)
        noise = container.add_stream("aac" if sound is True else sound, rate=48000) if sound else None
        for i, picture in enumerate(pictures):
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            frame.pts, frame.time_base = (ticks[i] if ticks else i), base
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
        if noise is not None:
            samples = av.AudioFrame.from_ndarray(
                np.zeros((1, 4800), np.float32), format="fltp", layout="mono"
            )
            samples.sample_rate, samples.pts = 48000, 0
            container.mux(noise.encode(samples))
            container.mux(noise.encode(None))


def plain_decode(path):
    """Every frame as a plain sequential decode gives it: pictures as stored and times."""
    with av.open(str(path)) as container:
        return [(f.to_ndarray(format="rgb24"), f.pts, f.time_base) for f in container.decode(video=0)]
