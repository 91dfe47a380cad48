"""Units: every form of the practice notes goes in and comes out; nothing is guessed."""

from __future__ import annotations

import math
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from vivid_keel.core.errors import KeelError
from vivid_keel.core.quantities import (
    LengthStyle,
    parse_length,
    parse_tilt,
    round_half_away,
    show_amount,
    show_length,
    show_move,
    show_tilt,
    style_for,
)

IN = 0.0254


@pytest.mark.parametrize(
    ("text", "metres"),
    [
        ("1.482", 1.482),
        ("1.482 m", 1.482),
        ("1482 mm", 1.482),
        ("148.2cm", 1.482),
        ("4.86 ft", 4.86 * 0.3048),
        ("5' 7 3/8\"", 67.375 * IN),
        ("5'7-3/8\"", 67.375 * IN),
        ("5 ft 7 3/8 in", 67.375 * IN),
        ('67 3/8"', 67.375 * IN),
        ('3⅝"', 3.625 * IN),
        ('0.012"', 0.012 * IN),
        ("12 thou", 0.012 * IN),
        ("40 µm", 40e-6),
        ("40 um", 40e-6),
        ("5′ 7 ⅜″", 67.375 * IN),
        ("5' 7⅜", 67.375 * IN),
        ("¾″", 0.75 * IN),
        ("−0.655", -0.655),
        ("-0.655 m", -0.655),
        ("1,48", 1.48),
        ("0,482", 0.482),
        ("12,5 mm", 0.0125),
        ("5'", 60 * IN),
        ("4.86'", 4.86 * 0.3048),
        ("-1' 3\"", -15 * IN),
        (" .5 ", 0.5),
    ],
)
def test_length_forms(text, metres):
    read = parse_length(text)
    assert read.value == pytest.approx(metres, abs=1e-12)
    assert read.text == text


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("5' 14\"", "did you mean 6' 2\""),
        ("1,482", "may mean 1.482 or 1482"),
        ("--", "not a"),
        ("1.3.5", "not a number"),
        ("", "nothing was typed"),
        ("abc", "expected something like"),
        ("3 furlongs", "no unit of length known"),
        ("nan", "not a"),
        ("1e3", "not a"),
        ('5 4/2"', "an inch or more"),
        ('1/3"', "not on a rule"),
        ("12 1/2", "for inches type"),
        ("9" * 400, "too large"),
        ("1 2", "not a length"),
    ],
)
def test_lengths_refused(text, says):
    with pytest.raises(KeelError, match=".") as refused:
        parse_length(text)
    assert says in refused.value.message


def test_a_bare_number_takes_the_fields_unit():
    assert parse_length("1482", "mm").value == 1.482
    assert parse_length("67 3/8", "ft-in").value == 67.375 * IN
    assert parse_length("5 7 3/8", "ft-in").value == 67.375 * IN
    assert parse_length("1.482 m", "ft-in").unit == "m"
    with pytest.raises(KeelError, match='for feet or 5" for inches'):
        parse_length("5", "ft-in")


def test_decimal_comma_is_the_jobs_choice():
    assert parse_length("1,482", decimal_mark=",").value == 1.482
    with pytest.raises(KeelError, match="1,482 or 1482"):
        parse_length("1.482", decimal_mark=",")
    with pytest.raises(KeelError, match=r"did you mean 1\.48"):
        parse_length("1,48", decimal_mark=".")


def test_resolution_is_that_of_the_text():
    assert parse_length("1.4820").resolution == pytest.approx(0.0001)
    assert parse_length("1482 mm").resolution == pytest.approx(0.001)
    assert parse_length("5' 7 3/8\"").resolution == pytest.approx(IN / 8)


def test_shown():
    eighths = LengthStyle("ft-in", 0, 8)
    assert show_length(67.375 * IN, eighths) == "5′ 7⅜″"
    assert show_length(-0.375 * IN, eighths) == "−⅜″"
    assert show_length(0, eighths) == "0″"
    assert show_length(12 * IN, eighths) == "1′ 0″"
    assert show_length(67.0625 * IN, LengthStyle("ft-in", 0, 16)) == "5′ 7 1/16″"
    assert show_length(-0.003, LengthStyle()) == "−0.003"
    assert show_length(-0.0001, LengthStyle()) == "0.000"
    assert show_length(1.2345, style_for("m", 0.0001), unit=True) == "1.2345 m"
    assert show_length(1.35, style_for("m", 0.01)) == "1.350"
    assert show_move(0.0114, LengthStyle()) == "+11.4 mm"
    assert show_move(-0.125 * IN, eighths) == "−⅛″"
    assert show_amount(0.5 * IN, eighths) == "½ in"
    assert show_length(0.001, LengthStyle("mm", 1), signed=True) == "+1.0"


def test_halves_go_away_from_zero():
    assert [round_half_away(x / 10) for x in (5, -5, 15, 25, 24)] == [1, -1, 2, 3, 2]
    assert show_length(0.0005, LengthStyle()) == "0.001"
    assert show_length(1.0005, LengthStyle()) == "1.001"


@given(st.lists(st.integers(-2000, 8000), min_size=1, max_size=10_000))
def test_a_book_in_64ths_never_shows_a_rounding_difference(counts):
    total = sum(
        parse_length(f'{abs(n)}/64"' if abs(n) < 64 else f'{abs(n) // 64} {abs(n) % 64}/64"').value
        * (1 if n >= 0 else -1)
        for n in counts
    )
    exact = Fraction(sum(counts), 64)
    assert round_half_away(total, IN / 64) == exact * 64


@given(st.integers(0, 40_000), st.sampled_from([8, 16, 32]))
def test_feet_inches_come_back_as_they_went_in(steps, parts):
    style = LengthStyle("ft-in", 0, parts)
    text = show_length(steps * IN / parts, style)
    assert round_half_away(parse_length(text, "ft-in").value, IN / parts) == steps


@given(st.integers(-99_999, 99_999))
def test_millimetres_come_back_as_they_went_in(mm):
    assert parse_length(show_length(mm / 1000, LengthStyle())).value == mm / 1000


def test_tilt_forms():
    assert parse_tilt("0.05 mm/m").value == pytest.approx(5e-5)
    assert parse_tilt("0.005 in/ft").value == pytest.approx(0.005 / 12)
    assert parse_tilt('20"').value == parse_tilt("20 arcsec").value == pytest.approx(9.696e-5, rel=1e-4)
    assert parse_tilt("1.2°").value == pytest.approx(0.0209440, rel=1e-5)
    assert parse_tilt("1 %").value == pytest.approx(0.01, rel=1e-4)
    assert parse_tilt("-1:80").value == pytest.approx(-1 / 80, rel=1e-4)
    assert parse_tilt("3 div", division_rad=1e-4).value == pytest.approx(3e-4)
    assert show_tilt(parse_tilt("1:80").value, "1:n") == "1:80"
    assert show_tilt(parse_tilt("0.5").value) == "0.500 mm/m"
    with pytest.raises(KeelError, match="choose it first"):
        parse_tilt("3 div")
    with pytest.raises(KeelError, match="above 0"):
        parse_tilt("1:0")
    with pytest.raises(KeelError, match="not a tilt"):
        parse_tilt("steep")


@pytest.mark.parametrize("step", [0.001, 1.0, 2.0])
def test_what_is_a_billionth_short_of_a_half_counts_as_the_half_and_no_more(step):
    half = step / 2
    assert round_half_away(half - 0.5e-9, step) == 1
    assert round_half_away(-half + 0.5e-9, step) == -1
    assert round_half_away(half - 5e-9, step) == 0


@pytest.mark.parametrize("text", ["3'", "3 arcmin", "180 arcsec", "0.05°", '180"'])
def test_minutes_and_seconds_of_arc_are_parts_of_a_degree(text):
    assert parse_tilt(text).value == pytest.approx(math.radians(0.05), rel=1e-12)


def test_a_metric_reading_in_feet_and_inches_is_shown_in_parts_that_a_rule_has():
    """A millimetre is a twenty-fifth of an inch, and no rule is divided so."""
    assert show_length(1.482, style_for("ft-in", 0.001)) == "4′ 10 11/32″"
    assert [
        style_for("ft-in", step).parts for step in (None, 0.01, IN / 8, IN / 16, 0.001, IN / 64, 1e-5)
    ] == [
        8,
        8,
        8,
        16,
        32,
        64,
        64,
    ]


@pytest.mark.parametrize("text", ["9" * 30, "60000000", "60000000.0", "-99999999.5", "999999999' 3\""])
def test_what_is_longer_than_anything_measured_is_refused_and_a_coordinate_is_not(text):
    with pytest.raises(
        KeelError, match="longer than anything that is measured here; expected something like"
    ):
        parse_length(text)
    assert parse_length("32500000.25").value == 32500000.25
