"""The films of the demo: which scene each shows, filmed where it is missing."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

from saltus.footage.opening import facts_of
from saltus.simulate.camera import film
from saltus.simulate.scenes import set_up

if TYPE_CHECKING:
    from saltus.footage.facts import FilmFacts
    from saltus.simulate.scene import Scene

FILMS = Path(__file__).parent / "demo_films"


@dataclass(frozen=True)
class DemoTake:
    """One film of the demo: its file, name and scene."""

    file: str
    name: str
    scene: str
    changes: tuple[tuple[str, float], ...] = ()

    def set_up(self) -> Scene:
        """Set its scene up."""
        return set_up(self.scene, dict(self.changes))


def demo_film(take: DemoTake) -> Path:
    """Give the path of a demo film, filming it where it is missing."""
    path = FILMS / take.file
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        film(take.set_up(), path)
    return path


@cache
def demo_facts(path: Path, rate: float | None = None) -> FilmFacts:
    """Read a film of the demo through, once: it comes with the program and stays as it is."""
    return facts_of(path, rate)
