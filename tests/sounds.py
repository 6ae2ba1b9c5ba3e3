"""Recordings with knocks at known times, made on the spot for the tests."""

import wave

import av
import numpy as np

RATE = 48_000


def knocks(times, length_s=3.0, *, rate=RATE, noise=0.002, seed=0, hum=0.0, loud=None):
    """Sound with a knock at each time, s: a tone of 1.5 to 4 kHz that dies away within 10 ms."""
    rng = np.random.default_rng(seed)
    t = np.arange(round(length_s * rate)) / rate
    out = rng.normal(0, noise, len(t)) + hum * np.sin(2 * np.pi * 50 * t)
    for i, at in enumerate(times):
        late = t - at
        on = late >= 0
        tone = np.sin(2 * np.pi * rng.uniform(1500, 4000) * late[on] + rng.uniform(0.3, 1.2))
        size = loud[i] if loud is not None else rng.uniform(0.2, 0.8)
        out[on] += size * tone * np.exp(-late[on] / rng.uniform(0.003, 0.01))
    return out.astype(np.float32)


def write_wav(path, samples, rate=RATE):
    """Write sound alone, 16 bits."""
    with wave.open(str(path), "wb") as out:
        out.setnchannels(1)
        out.setsampwidth(2)
        out.setframerate(rate)
        out.writeframes((np.clip(samples, -1, 1) * 32767).astype("<i2").tobytes())


def write_film(path, pictures, samples, *, codec="pcm_s16le", rate=RATE, late=0):
    """Write pictures at 30 frames per second with sound that begins ``late`` samples after the first."""
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=30)
        stream.height, stream.width = pictures[0].shape[:2]
        stream.pix_fmt = "yuv420p"
        track = container.add_stream(codec, rate=rate, layout="mono")
        for picture in pictures:
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        container.mux(stream.encode(None))
        kind = "s16" if codec.startswith("pcm") else "fltp"
        data = (np.clip(samples, -1, 1) * 32767).astype("<i2") if kind == "s16" else samples
        for start in range(0, len(data), 1024):
            frame = av.AudioFrame.from_ndarray(data[None, start : start + 1024], format=kind, layout="mono")
            frame.sample_rate, frame.pts = rate, start + late
            container.mux(track.encode(frame))
        container.mux(track.encode(None))
