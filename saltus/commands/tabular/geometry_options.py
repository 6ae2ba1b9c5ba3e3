"""The way to the world as the options of a command say it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from saltus.core import sources
from saltus.core.entry import entry
from saltus.core.geometry.axes import Axes
from saltus.core.geometry.geometry_error import GeometryError
from saltus.core.geometry.lens import Lens
from saltus.core.geometry.mapping import Mapping
from saltus.core.geometry.plane import Plane
from saltus.core.geometry.reference import nearer_factor, plain_scale
from saltus.core.quantities import measured
from saltus.core.units import METRE
from saltus.core.wording import _
from saltus.core.written import WrittenError, number
from saltus.exchange.tables import TableError

if TYPE_CHECKING:
    from pathlib import Path

    from saltus.core.quantity import Quantity

SMALLEST, LARGEST = 1e-12, 1e12
FAR = 1e6
"""px and m beyond which nothing of a picture is meant."""
TABLE = "table"


@dataclass(frozen=True)
class TypedGeometry:
    """What was typed of scale, plane, lens, distances and axes; None where it was not."""

    m_per_px: float | None
    u_scale: float
    plane: str | None
    plane_size: str | None
    u_corner: float | None
    k1: float | None
    lens_centre: str | None
    lens_radius: float | None
    plane_offset: str | None
    camera_distance: str | None
    origin: str | None
    angle: float | None


def pair_of(text: str | None, unit: str = "px") -> tuple[float, float] | None:
    """Read X,Y; None where nothing was typed.

    Raises
    ------
    WrittenError
        If it is no pair of numbers.
    """
    if text is None:
        return None
    found = _numbers(text, 2, _("“{text}” is not a place: write X,Y in {unit}."), unit)
    return found[0], found[1]


def _numbers(text: str, count: int, words: str, unit: str) -> list[float]:
    parts = text.split(",")
    if len(parts) != count:
        raise WrittenError(words.format(text=text[:40], unit=unit))
    found = [number(part) for part in parts]
    if not all(abs(value) <= FAR for value in found):
        raise WrittenError(_("“{text}” lies too far off to be meant.").format(text=text[:40]))
    return found


def mapping_for(typed: TypedGeometry, notebook: Path | None, u_rate: float) -> tuple[Mapping, float]:
    """The way to the world and the relative u of the clock: as typed, else those of a notebook's take.

    Raises
    ------
    TableError, WrittenError
        If something is missing, or cannot be used.
    """
    try:
        return _mapping(typed, notebook, u_rate)
    except GeometryError as error:
        raise TableError(str(error)) from error


def _mapping(typed: TypedGeometry, notebook: Path | None, u_rate: float) -> tuple[Mapping, float]:
    mapping = Mapping(TABLE, Axes())
    if notebook is not None:
        mapping, clock = _of_notebook(notebook, scaled=not (typed.m_per_px or typed.plane))
        u_rate = u_rate or clock
    lens = _lens(typed) or mapping.lens
    mapping = replace(mapping, lens=lens)
    plane = _plane(typed, lens)
    if plane is not None:
        mapping = replace(mapping, ground=plane, scale=None, axes=replace(mapping.axes, origin=None))
    elif typed.m_per_px is not None:
        scale = plain_scale(typed.m_per_px, typed.u_scale or mapping.u_relative, TABLE)
        mapping = replace(mapping, scale=scale, ground=None)
    elif typed.u_scale and mapping.scale is not None:
        mapping = replace(mapping, scale=plain_scale(float(mapping.scale), typed.u_scale, TABLE))
    if not mapping.scaled:
        raise TableError(_("A scale is needed: give --scale in metres per pixel, --plane, or --geometry."))
    factor = _nearer(typed)
    if factor is not None:
        mapping = mapping.in_plane_nearer(factor)
    return _with_axes(mapping, typed), u_rate


def _with_axes(mapping: Mapping, typed: TypedGeometry) -> Mapping:
    axes = mapping.axes
    if typed.origin is not None:
        axes = replace(axes, origin=pair_of(typed.origin), u_origin_px=0.0)
    if typed.angle is not None:
        axes = replace(axes, angle=math.radians(typed.angle), u_angle=0.0)
    mapping = replace(mapping, axes=axes)
    if axes.origin is not None and not mapping.reaches(np.array([axes.origin]).T).all():
        raise TableError(_("The origin has no place in the plane: choose one nearer to its corners."))
    return mapping


def _of_notebook(path: Path, *, scaled: bool) -> tuple[Mapping, float]:
    from saltus.notebook.derived.frame_clock import clock_of  # noqa: PLC0415  only for a notebook
    from saltus.notebook.derived.geometry import geometry_of, mapping_of  # noqa: PLC0415  only for a notebook
    from saltus.notebook.storage import load  # noqa: PLC0415  start-up time

    takes = load(path).takes
    if not takes:
        raise TableError(_("{name} holds no take.").format(name=path.name))
    take = next((t for t in takes if mapping_of(t).scaled), takes[0])
    found = mapping_of(take)
    if scaled and not found.scaled:
        troubles = geometry_of(take).problems
        words = _("The take “{name}” has no scale: set a reference length.").format(name=take.name)
        raise TableError(next(iter(troubles.values()), words))
    # where the origin was placed moves all positions alike: it stands in no column
    axes = replace(found.axes, u_origin_px=0.0, u_angle=0.0)
    return replace(found, take=TABLE, axes=axes, camera=found.set_up), clock_of(take).u_rate


def _lens(typed: TypedGeometry) -> Lens | None:
    if typed.k1 is None:
        if typed.lens_centre is not None or typed.lens_radius is not None:
            raise TableError(_("A lens needs --lens K1 with --lens-centre X,Y and --lens-radius R."))
        return None
    centre = pair_of(typed.lens_centre)
    if centre is None or typed.lens_radius is None:
        raise TableError(_("A lens needs --lens K1 with --lens-centre X,Y and --lens-radius R."))
    if not 1.0 <= typed.lens_radius <= FAR:
        raise TableError(_("--lens-radius must lie between 1 and a million px."))
    if not abs(typed.k1) <= 1.0:
        raise TableError(_("--lens K1 must lie between −1 and 1: no lens bends more."))
    return Lens(typed.k1, centre, typed.lens_radius, camera=TABLE)


def _plane(typed: TypedGeometry, lens: Lens | None) -> Plane | None:
    if typed.plane is None:
        if typed.plane_size is not None or typed.u_corner is not None:
            raise TableError(_("--plane-size and --u-corner go with --plane."))
        return None
    words = _("“{text}” is not four corners: write X,Y,X,Y,X,Y,X,Y in px.")
    corners = np.array(_numbers(typed.plane, 4 * 2, words, "px")).reshape(4, 2)
    if typed.plane_size is None:
        raise TableError(_("--plane needs --plane-size W,H: the size of the rectangle in metres."))
    size = _("“{text}” is not a size: write W,H in metres.")
    width, height = _numbers(typed.plane_size, 2, size, "m")
    if not (SMALLEST <= width <= FAR and SMALLEST <= height <= FAR):
        raise TableError(_("Width and height of the rectangle must be longer than zero."))
    u = typed.u_corner or 0.0
    if not 0 <= u <= FAR:
        raise TableError(_("--u-corner must be zero or a positive number of px."))
    world = np.array([[0.0, 0.0], [width, 0.0], [width, height], [0.0, height]])
    return Plane(corners, world, u, lens=lens, take=TABLE)


def _nearer(typed: TypedGeometry) -> Quantity | None:
    if typed.plane_offset is None and typed.camera_distance is None:
        return None
    if typed.plane_offset is None or typed.camera_distance is None:
        raise TableError(_("--plane-offset and --camera-distance go together."))
    offset, u_offset = _length(typed.plane_offset, "--plane-offset")
    away, u_away = _length(typed.camera_distance, "--camera-distance")
    if not away > 0:
        raise TableError(_("--camera-distance must be longer than zero."))
    d = measured(offset, u_offset, METRE, sources.plane_offset(TABLE))
    return nearer_factor(d, 1.0 / measured(away, u_away, METRE, sources.camera_distance(TABLE)))


def _length(text: str, option: str) -> tuple[float, float]:
    """Value and standard uncertainty, m."""
    read = entry(text, METRE, default_unit="m", where=f"{option}: ")
    return read.value, read.u or 0.0
