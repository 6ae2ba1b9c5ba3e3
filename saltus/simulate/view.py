"""How the virtual camera looks: square-on, or tilted, through a lens, at a body before the plane."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from saltus.simulate.hand_held import Pose

    Array = NDArray[np.float64]
    Canvas = NDArray[np.float32]

VIEW: dict[str, float] = {"pan_deg": 0.0, "pitch_deg": 0.0, "lens_k1": 0.0, "nearer": 0.0, "distance": 2.0}
"""Settings of the view: by how much the plane is turned away to the right and upwards, °; the bend of the
lens at half the diagonal; how much nearer than the plane the body moves, how far the camera is from it, m."""
LIMITS = {
    "pan_deg": (-60, 60),
    "pitch_deg": (-60, 60),
    "lens_k1": (-0.25, 0.25),
    "nearer": (-5, 5),
    "distance": (0.2, 100),
}
STEPS = 60


@dataclass(frozen=True)
class View:
    """From a picture as it would be taken square-on to the one that is taken.

    Attributes
    ----------
    width, height : int
        px.
    m_per_px : float
        In the middle of the plane.
    settings : dict
        With those of :data:`VIEW`.
    pose : Pose or None
        Where the camera looks at the moment, if it does not stand still.
    """

    width: int
    height: int
    m_per_px: float
    settings: dict[str, float]
    pose: Pose | None = None

    @property
    def square(self) -> bool:
        """Whether the picture is the one taken square-on."""
        return self.pose is None and not any(self.settings[k] for k in ("pan_deg", "pitch_deg", "lens_k1"))

    @property
    def _middle(self) -> Array:
        return np.array([(self.width - 1) / 2, (self.height - 1) / 2])

    @property
    def radius(self) -> float:
        """Half the diagonal of the picture, px, at which the bend of the lens is stated."""
        return math.hypot(self.width, self.height) / 2

    @property
    def to_plane(self) -> float:
        """How far the camera is from the plane, square to it, m."""
        away = self.settings["distance"]
        return away * math.prod(math.cos(math.radians(self.settings[k])) for k in ("pan_deg", "pitch_deg"))

    def _turned(self) -> Array:
        pan, pitch = (math.radians(self.settings[k]) for k in ("pan_deg", "pitch_deg"))
        about_upright = np.array(
            [[math.cos(pan), 0, -math.sin(pan)], [0, 1, 0], [math.sin(pan), 0, math.cos(pan)]]
        )
        about_level = np.array(
            [[1, 0, 0], [0, math.cos(pitch), math.sin(pitch)], [0, -math.sin(pitch), math.cos(pitch)]]
        )
        return np.asarray(about_upright @ about_level)

    def seen(self, flat: Array, *, nearer: float = 0.0) -> Array:
        """Where places of the square-on picture are seen.

        Parameters
        ----------
        flat : (K, 2) ndarray
            px.
        nearer : float
            How far they lie before the plane, m.

        Returns
        -------
        (K, 2) ndarray
            px.
        """
        away = self.settings["distance"] / self.m_per_px
        places = np.column_stack([flat - self._middle, np.full(len(flat), -nearer / self.m_per_px)])
        turned = places @ self._turned().T + [0.0, 0.0, away]
        if self.pose is not None:
            turned = turned @ self.pose.turned.T
            away = away * self.pose.zoom
        ideal = away * turned[:, :2] / turned[:, 2:]
        square = np.sum(ideal**2, axis=1) / self.radius**2
        return np.asarray(self._middle + ideal * (1 + self.settings["lens_k1"] * square)[:, None])

    def grown(self, flat: Array, *, nearer: float) -> float:
        """By how much larger than square-on in the plane a body looks at a place, (2,) px."""
        around = flat + np.array([[0.5, 0.0], [-0.5, 0.0], [0.0, 0.5], [0.0, -0.5]])
        spots = self.seen(around, nearer=nearer)
        by = np.array([spots[0] - spots[1], spots[2] - spots[3]])
        return float(math.sqrt(abs(np.linalg.det(by))))

    def pictured(self, canvas: Canvas) -> Canvas:
        """The picture of the plane as this camera takes it, (H, W, 3)."""
        if self.square:
            return canvas
        if not self.settings["lens_k1"]:
            return self._projected(canvas)
        x, y = np.meshgrid(np.arange(self.width, dtype=float), np.arange(self.height, dtype=float))
        bent = np.column_stack([x.ravel(), y.ravel()]) - self._middle
        ideal = bent.copy()
        for _step in range(STEPS):
            square = np.sum(ideal**2, axis=1) / self.radius**2
            ideal = bent / (1 + self.settings["lens_k1"] * square)[:, None]
        # a ray through each pixel meets the plane, which is turned about its middle
        away = self.settings["distance"] / self.m_per_px
        focal = away * (self.pose.zoom if self.pose is not None else 1.0)
        rays = np.column_stack([ideal, np.full(len(ideal), focal)])
        if self.pose is not None:
            rays = rays @ self.pose.turned
        rays = rays @ self._turned()
        start = np.array([0.0, 0.0, -away]) @ self._turned()
        with np.errstate(divide="ignore", invalid="ignore"):
            along = -start[2] / rays[:, 2]
        flat = start[:2] + rays[:, :2] * along[:, None] + self._middle
        flat = np.where((along > 0)[:, None] & np.isfinite(flat), np.clip(flat, -2e4, 2e4), -2e4)
        across, down = flat.astype(np.float32).T.reshape(2, self.height, self.width)
        out = cv2.remap(canvas, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(out, dtype=np.float32)

    def _projected(self, canvas: Canvas) -> Canvas:
        """The same through a lens that bends nothing: a plane seen by a pinhole."""
        corners = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]]) * [self.width, self.height]
        # places round the middle of the plane are always before the camera
        around = 0.2 * corners + 0.4 * np.array([self.width, self.height])
        matrix = cv2.getPerspectiveTransform(self.seen(around).astype(np.float32), around.astype(np.float32))
        flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
        out = cv2.warpPerspective(
            canvas, matrix, (self.width, self.height), flags=flags, borderMode=cv2.BORDER_REPLICATE
        )
        return np.asarray(out, dtype=np.float32)
