"""The models a segment of motion may follow, simplest first; a new one is a file and a line here."""

from saltus.core.motion.models.base import Model
from saltus.core.motion.models.circle import Circle
from saltus.core.motion.models.constant_acceleration import ConstantAcceleration
from saltus.core.motion.models.constant_velocity import ConstantVelocity
from saltus.core.motion.models.damped_oscillation import DampedOscillation
from saltus.core.motion.models.exponential import Exponential
from saltus.core.motion.models.large_oscillation import LargeOscillation
from saltus.core.motion.models.projectile import Projectile
from saltus.core.motion.models.quadratic_damped_oscillation import QuadraticDampedOscillation
from saltus.core.motion.models.rest import Rest
from saltus.core.motion.models.rotation import AngularAcceleration, UniformRotation
from saltus.core.motion.models.steady_oscillation import SteadyOscillation
from saltus.core.motion.models.terminal_approach import LinearTerminalApproach, TerminalApproach

REST, CONSTANT_VELOCITY, CONSTANT_ACCELERATION = Rest(), ConstantVelocity(), ConstantAcceleration()
_ALL: tuple[Model, ...] = (
    REST, CONSTANT_VELOCITY, CONSTANT_ACCELERATION,
    Exponential(), TerminalApproach(), LinearTerminalApproach(),
    SteadyOscillation(), DampedOscillation(), QuadraticDampedOscillation(), LargeOscillation(),
    UniformRotation(), AngularAcceleration(), Projectile(), Circle(),
)  # fmt: skip
MODELS: dict[str, Model] = {m.name: m for m in _ALL}

__all__ = ["CONSTANT_ACCELERATION", "CONSTANT_VELOCITY", "MODELS", "REST", "Model"]
