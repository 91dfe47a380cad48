"""What a file says is words: no name in it is taken for markup, fetches a picture or becomes a formula."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel

from vivid_keel.core.record.entries import Draft
from vivid_keel.files import JobFile

MARKUP = "<img src='file:///etc/hostname'>sill"


def test_every_label_and_tooltip_shows_a_name_as_it_is(window, qtbot, tmp_path):
    job = JobFile.create(tmp_path / "mill.keel", MARKUP, "Ada")
    job.record([Draft(0, "work", {"name": MARKUP, "type": "run", "unit": "m"})])
    window.take(job)
    qtbot.waitUntil(lambda: window.works.count() == 1)
    tip = window.works.item(0).toolTip()
    assert not Qt.mightBeRichText(tip) or "&lt;img" in tip
    window.say(MARKUP)
    window.site_mode()
    labels = window.findChildren(QLabel)
    assert len(labels) > 10
    assert not [one.text() for one in labels if one.text() and one.textFormat() != Qt.TextFormat.PlainText]


def test_a_blank_before_a_formula_gets_past_no_guard_on_the_clipboard(window, tmp_path):
    job = JobFile.create(tmp_path / "mill.keel", "Mill", "Ada")
    (work,) = job.record([Draft(0, "work", {"name": "Yard", "type": "run", "unit": "m"})])
    job.record(
        [
            Draft(
                work.id,
                "mark",
                {
                    "name": "  =1+1",
                    "height": {"text": "1", "unit": "m", "m": 1.0, "step_m": 0.001},
                    "source": "x",
                },
            )
        ]
    )
    window.take(job)
    window.show_stage("Set-up")
    window.house.copy_sheet()
    cells = QApplication.clipboard().text().replace("\n", "\t").split("\t")
    assert "'=1+1" in cells and "=1+1" not in cells
