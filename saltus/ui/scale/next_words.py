"""What to do next on the Scale stage."""

from __future__ import annotations

from typing import TYPE_CHECKING

from saltus.core.wording import _, plural
from saltus.notebook.measuring import FEWEST_PLACES

if TYPE_CHECKING:
    from saltus.notebook.model import Take
    from saltus.ui.picture.scale_tool import ScaleTool


def next_words(take: Take | None, tool: ScaleTool) -> str:
    """The next step, for the tool that was taken up."""
    if take is None:
        return _("Open a film first, on the Film stage.")
    return _for_tool(take, tool) or _for_scale(take)


def _for_tool(take: Take, tool: ScaleTool) -> str:
    if tool.mode == "plane" and (tool.corners or take.geometry.plane is None):
        names = (_("first, where zero shall be"), _("second, along x"), _("third"), _("fourth"))
        return _("Click the corner that comes {which}. Go round the rectangle.").format(
            which=names[len(tool.corners)]
        )
    if tool.mode == "track":
        count = len(take.geometry.track.marks) if take.geometry.track is not None else 0
        if count < 3:
            return plural(
                "Click {n} more mark along the line.", "Click {n} more marks along the line.", 3 - count
            )
    if tool.mode == "edge":
        edges = take.geometry.edges
        count = len(edges.edges[-1]) if edges is not None and not tool.new_edge else 0
        if count < 5:
            return plural(
                "Click {n} more place along the edge.", "Click {n} more places along the edge.", 5 - count
            )
    if tool.mode.startswith("measure-"):
        wanted = FEWEST_PLACES[tool.mode.removeprefix("measure-")] - len(tool.corners)
        return plural("Click {n} more place.", "Click {n} more places.", wanted)
    return {
        "fixed": _("Click a point that stands still: a screw, a corner, a mark on the wall."),
        "division": _("Click a division of the scale, then type what stands there; then the next."),
        "middle": _("Click the point about which the pointer turns."),
        "pointer": _("Click where the pointer stands on the scale, in each frame you want to read."),
        "reference": _("Drag along another known length: press at one end, let go at the other."),
        "check": _("Drag along a length you know: it must come out right."),
        "ball": _("Drag a box round the ball: its outline is fitted."),
        "plumb": _("Drag along a plumb line or another upright edge in the picture."),
        "points": _("Drag from one place to another along x, in its direction."),
    }.get(tool.mode, "")


def _for_scale(take: Take) -> str:
    plane = take.geometry.plane
    if plane is not None:
        if plane.width is None or plane.height is None:
            return _("Type width and height of the rectangle, with their units.")
        if take.reference is None and not take.geometry.others:
            return _("Lay a length you know elsewhere in the plane: it must come out right.")
    elif take.geometry.track is not None:
        if sum(m.distance is not None for m in take.geometry.track.marks) < 3:
            return _("Type the distances of the marks.")
    elif take.reference is None:
        return _("Drag along something of known length in the plane of the motion: press at one end, "
                 "let go at the other.")  # fmt: skip
    elif take.reference.length is None:
        return _("Type how long it is, with its unit, and how well you know it.")
    elif not take.reference.length.U95:
        return _("State how well you know this length: until then it counts as exact.")
    if take.axes is None and plane is None:
        return _(
            "Choose the axes tool and click where zero shall be. Then drag the end of x along the motion."
        )
    return _("Scale and axes are set. Go to Read and click the body, frame by frame.")
