"""The models a segment of motion may follow, simplest first; a new one is a file and a line here."""

from saltus.core.motion.models.base import Model
from saltus.core.motion.models.constant_acceleration import ConstantAcceleration
from saltus.core.motion.models.constant_velocity import ConstantVelocity
from saltus.core.motion.models.rest import Rest

REST, CONSTANT_VELOCITY, CONSTANT_ACCELERATION = Rest(), ConstantVelocity(), ConstantAcceleration()
MODELS: dict[str, Model] = {m.name: m for m in (REST, CONSTANT_VELOCITY, CONSTANT_ACCELERATION)}

__all__ = ["CONSTANT_ACCELERATION", "CONSTANT_VELOCITY", "MODELS", "REST", "Model"]
