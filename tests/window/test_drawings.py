"""Set-up drawings on screen, and what the start page says of a table of trials."""

import pytest
import tables
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QAbstractButton

from saltus.investigations.recipe.drawing import shapes
from saltus.investigations.view.gallery import catalogue
from saltus.printing.setup_painter import SetUpPainter
from saltus.printing.tokens import DARK, LIGHT
from saltus.ui.desk.recent import recent_notebooks


@pytest.mark.usefixtures("window")
@pytest.mark.parametrize("dark", [False, True])
def test_every_drawing_stays_in_its_place_and_shows_its_body(dark):
    """On both grounds: ink, a body or its places in its colour, and nothing outside the box but hatching."""
    tokens = DARK if dark else LIGHT
    ground = QColor(tokens["card"])
    place = QRectF(20, 20, 200, 180)
    for recipe in catalogue():
        image = QImage(240, 220, QImage.Format.Format_RGB32)
        image.fill(ground)
        painter = QPainter(image)
        SetUpPainter(painter, place, tokens, dark=dark).draw(shapes(recipe.drawing, recipe.id))
        painter.end()
        drawn = [
            (x, y) for x in range(240) for y in range(220) if image.pixelColor(x, y).rgb() != ground.rgb()
        ]
        assert len(drawn) > 200, recipe.id
        outside = [spot for spot in drawn if not place.adjusted(-12, -12, 12, 12).contains(*map(float, spot))]
        assert not outside, recipe.id
        colours = {image.pixelColor(x, y).name() for x, y in drawn}
        assert len(colours) > 5, recipe.id


def test_the_start_page_tells_what_a_table_came_to(window, tmp_path):
    """A saved notebook of trials stands there with its result and how far its stages are."""
    window.desk.start(tables.pendulum(spread=0.02).but(title="Ten swings"))
    assert window.desk.save(tmp_path / "swings.saltus")
    recent = recent_notebooks()[0]
    assert recent.title == "Ten swings"
    assert recent.result.startswith("g = 9.8")
    assert "done" in recent.marks
    window.go_to("start")
    cards = [b.accessibleName() for b in window.start.findChildren(QAbstractButton)]
    assert any(name.startswith("Ten swings: g = 9.8") for name in cards)
