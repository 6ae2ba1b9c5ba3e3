"""Looking for a printed board or a ball in the frame that is shown, and laying what was found."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import cv2

from saltus.core.geometry.board import find_ball, find_board
from saltus.core.wording import _
from saltus.notebook.edits import geometry as edits
from saltus.notebook.edits import scale as scale_edits
from saltus.notebook.geometry import PlanePoints, StraightEdges
from saltus.printing.pictures import as_array
from saltus.ui.desk.aside import done_aside
from saltus.ui.picture.laid_handles import lay

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from saltus.core.geometry.board import Board
    from saltus.notebook.model import Take
    from saltus.ui.desk.desk import Desk
    from saltus.ui.picture.scale_tool import ScaleTool

BOARD_PX = 0.2
"""How well a corner of a printed board is found: standard uncertainty, px.

Neighbours err alike: what 54 corners say of a lens scatters as if each were twice as unsure as residuals say.
"""


def _grey(desk: Desk) -> NDArray[np.uint8] | None:
    """The frame that is shown in grey levels, (H, W); None while it is not there yet."""
    if desk.take is None or desk.shown is None or desk.shown[:2] != (desk.take_id, desk.frame):
        desk.said.emit(_("Wait until the frame is shown, then try again."), "note")
        return None
    grey: NDArray[np.uint8] = cv2.cvtColor(as_array(desk.shown[2]), cv2.COLOR_RGB2GRAY)
    return grey


def lay_board(desk: Desk, *, as_plane: bool) -> None:
    """Look for a board in the frame that is shown, as the plane of the motion or to see the lens bend."""
    grey, take = _grey(desk), desk.take
    if grey is None or take is None:
        return
    board = done_aside(lambda: find_board(grey))
    if board is None:
        desk.said.emit(
            _("No printed board is seen here: it must lie flat, be whole in the picture, and be sharp."),
            "warn",
        )
        return
    if as_plane:
        _as_plane(desk, take, board)
        return
    lines = tuple(tuple((float(x), float(y)) for x, y in line) for line in board.lines)
    made = StraightEdges(edges=lines, u_px=BOARD_PX, frame=desk.frame)
    lay(desk, _("find a board"), edits.change_geometry(desk.notebook, take.id, edges=made, lens=None))


def _as_plane(desk: Desk, take: Take, board: Board) -> None:
    # the origin is the lower left of the four outer corners, so that y points up
    grid = board.seen.reshape(board.rows, board.columns, 2)
    grid = grid[::-1] if grid[0, 0, 1] < grid[-1, 0, 1] else grid
    grid = grid[:, ::-1] if grid[0, 0, 0] > grid[0, -1, 0] else grid
    seen = tuple((float(x), float(y)) for x, y in grid.reshape(-1, 2))
    made = PlanePoints(seen=seen, columns=board.columns, rows=board.rows, u_px=BOARD_PX, frame=desk.frame)
    if lay(desk, _("find a board"), edits.change_geometry(desk.notebook, take.id, plane=made, track=None)):
        words = _("A board of {columns} × {rows} inner corners: type its size between the outer ones.")
        desk.said.emit(words.format(columns=board.columns, rows=board.rows), "note")


def lay_ball(desk: Desk, tool: ScaleTool) -> None:
    """Fit the outline of a ball in the box that was dragged, and lay its diameter as a length."""
    grey, take, box = _grey(desk), desk.take, tool.ball
    tool.ball = None
    if grey is None or take is None or box is None:
        return
    ball = done_aside(lambda: find_ball(grey, *box))
    if ball is None:
        desk.said.emit(_("No round outline is seen in this box: drag it closely round the ball."), "warn")
        return
    ends = [(round(ball.x + side * ball.radius, 2), round(ball.y, 2)) for side in (-1, 1)]
    u = round(math.sqrt(2) * ball.u_radius, 3)
    if take.reference is None:
        notebook = scale_edits.lay_reference(desk.notebook, take.id, ends[0], ends[1], desk.frame)
        chosen = None
    else:
        notebook, chosen = edits.add_length(
            desk.notebook, take.id, ends[0], ends[1], check=False, frame=desk.frame
        )
    notebook = edits.change_length(notebook, take.id, chosen, u_end_px=u, name=_("Diameter of the ball"))
    if lay(desk, _("lay the reference length"), notebook):
        tool.chosen, tool.mode = chosen, "length"
