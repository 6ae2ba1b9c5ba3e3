"""A turn at constant angular velocity, and one at constant angular acceleration."""

from __future__ import annotations

from saltus.core.motion.models.constant_acceleration import ConstantAcceleration
from saltus.core.motion.models.constant_velocity import ConstantVelocity
from saltus.core.sentences import say


class UniformRotation(ConstantVelocity):
    """θ = θ₀ + ω·t."""

    name = "uniform-rotation"
    parameters = ("angle", "velocity")
    angular = True
    equation = "<i>{s}</i> = <i>{s}</i><sub>0</sub> + <i>ω t</i>"

    @property
    def title(self) -> str:
        return say("model.uniform-rotation")


class AngularAcceleration(ConstantAcceleration):
    """θ = θ₀ + ω₀·t + ½·α·t²."""

    name = "angular-acceleration"
    parameters = ("angle", "velocity", "acceleration")
    angular = True
    equation = "<i>{s}</i> = <i>{s}</i><sub>0</sub> + <i>ω</i><sub>0</sub><i> t</i> + ½ <i>α t</i>²"

    @property
    def title(self) -> str:
        return say("model.angular-acceleration")
