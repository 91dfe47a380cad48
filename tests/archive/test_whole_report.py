"""The report of a whole job: contents that tell the truth, one row of page numbers, every work in it; and the preview that prints it."""

from __future__ import annotations

import gc
import subprocess

import pytest
from PyQt6.QtPrintSupport import QPrinter

from tests.mill import mill
from vivid_keel.archive.whole_report import whole_report
from vivid_keel.exchange.report_pdf import write_pdf
from vivid_keel.files import JobFile
from vivid_keel.trades.registry import desk_for
from vivid_keel.ui.preview import preview, print_pages


@pytest.fixture(scope="module")
def pages(tmp_path_factory, qapp):
    with mill(tmp_path_factory.mktemp("whole") / "mill.keel") as job:
        names = [job.journal.name_of(work.id) for work in job.journal.works()]
        return whole_report(job), names


def test_every_page_has_one_number_and_they_run_through(pages):
    told, _ = pages
    for n, page in enumerate(told, 1):
        assert [text for text in page.texts() if text.endswith(f" of {len(told)}")] == [f"{n} of {len(told)}"]
    assert len(told) > 20


def test_the_contents_say_on_which_page_each_work_begins(pages):
    told, names = pages
    cover = told[0].texts()
    for name in names:
        at = cover.index(name)
        page = next(int(text) for text in cover[at:] if text.isdigit())
        begins = " ".join(told[page - 1].texts())
        assert name in begins, name
        assert name not in " ".join(told[page - 2].texts()) or page == 2, name
    assert not any("being worked out" in text for text in cover)
    assert "Osier Mill" in cover and any("open" in text for text in cover)


def test_a_job_without_works_has_a_cover(tmp_path, qapp):
    with JobFile.create(tmp_path / "j.keel", "Empty", "Ada") as job:
        (page,) = whole_report(job)
        assert "Empty" in page.texts() and "1 of 1" in page.texts()


def test_written_it_reads_as_it_was_drawn(pages, tmp_path):
    told, names = pages
    write_pdf(told, tmp_path / "whole.pdf", "Osier Mill")
    text = subprocess.run(
        ["pdftotext", "-layout", str(tmp_path / "whole.pdf"), "-"], capture_output=True, text=True, check=True
    ).stdout
    assert text.count("\f") == len(told)
    assert all(name in text for name in names)


def test_what_is_printed_has_all_its_pages(pages, tmp_path, qapp):
    printer = QPrinter()
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "printed.pdf"))
    print_pages(printer, pages[0][:5])
    info = subprocess.run(
        ["pdfinfo", str(tmp_path / "printed.pdf")], capture_output=True, text=True, check=True
    ).stdout
    assert "Pages:           5" in info


@pytest.mark.qt_log_ignore("propagateSizeHints")  # the offscreen screen has no window manager to tell
def test_the_preview_opens_over_the_window_and_goes_again(qtbot, tmp_path):
    from vivid_keel.ui.window import Window

    window = Window("Ada")
    qtbot.addWidget(window)
    with mill(tmp_path / "mill.keel") as job:
        made = desk_for(job, job.journal.works()[0].id).report()()
    shown = preview(window, made, "Gatepost to weir")
    gc.collect()  # nobody but the preview holds the printer: it painted on one that was gone, and ended the program
    qtbot.wait(200)
    assert not shown.grab().isNull()
    assert shown.isVisible() and "Gatepost to weir" in shown.windowTitle()
    shown.close()
    window.close()
