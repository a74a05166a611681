"""The rack's files: CSV as spreadsheets really write it, and GPL palettes."""

import pytest

from dusk_lamp.core.paint.rack import (
    KINDS,
    MOST_PAINTS,
    Paint,
    Rack,
    RackError,
    rack_csv,
    rack_from_csv,
    rack_from_gpl,
    rack_gpl,
)

GOOD = "name,kind,colour,hiding,stock_ml\nSoot,base,#19191b,0.999,17\nGull,layer,#9aa0a3,,15\n"


def test_a_rack_comes_back_from_its_own_csv():
    rack = rack_from_csv(GOOD.encode())
    assert rack.find("gull").hides == KINDS["layer"].hiding and rack.find("SOOT").stock_ml == 17
    drawdown = Paint("Mist", "ink", "#808080", None, "#303030", "#b0b0b0", 12, finish="gloss")
    again = rack_from_csv(rack_csv([*rack, drawdown]))
    assert list(again) == [*rack, drawdown]


def test_spreadsheets_semicolons_decimal_commas_and_encodings_are_read():
    text = "Name;Kind;Colour;Hiding\nGrün;layer;#44643b;0,95\n"
    for encoding in ("utf-8", "utf-8-sig", "cp1252", "utf-16"):
        paint = rack_from_csv(text.encode(encoding)).find("grün")
        assert paint.hides == 0.95
    assert len(rack_from_csv(text.replace(";", "\t").encode())) == 1


def test_formulas_are_kept_as_text_both_ways():
    """A name that a spreadsheet would reckon leaves with a quote before it, and comes back without."""
    rack = Rack([Paint("=cmd|' /C calc'!A0"), Paint("@mud"), Paint("-grey")])
    written = rack_csv(rack)
    assert b"\n'=cmd" in written and b"\n'@mud" in written and b"\n'-grey" in written
    assert [p.name for p in rack_from_csv(written)] == [p.name for p in rack]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "first line"),
        ("a,b\n1,2\n", "first line"),
        ("name,colour\nSoot,black\n", "row 2"),
        ("name,colour,hiding\nSoot,#19191b,1\n", "row 2"),
        ("name,colour,hiding\nSoot,#19191b,0\n", "row 2"),
        ("name,colour,hiding\nSoot,#19191b,much\n", "row 2: hiding is a number"),
        ("name,kind,colour\nSoot,soup,#19191b\n", "row 2"),
        ("name,colour\n,#19191b\n", "row 2"),
        ("name,colour\nSoot,#19191b\nsoot,#222222\n", "two paints"),
        ("name,over_black,colour\nMist,#303030,#808080\n", "both colours"),
        ("name,colour\n" + "x" * 61 + ",#19191b\n", "row 2"),
        ("name,colour\n" + "".join(f"P{k},#19191b\n" for k in range(MOST_PAINTS + 1)), "catalogue"),
    ],
)
def test_bad_racks_are_refused_with_the_row_and_the_reason(text, words):
    with pytest.raises(RackError, match=words):
        rack_from_csv(text.encode())


def test_ten_thousand_rows_are_refused_soon():
    with pytest.raises(RackError, match="catalogue"):
        rack_from_csv(("name,colour\n" + "".join(f"P{k},#19191b\n" for k in range(10_000))).encode())
    with pytest.raises(RackError):
        rack_from_csv(b"\x00\xff\xfe" * 50)


def test_a_palette_becomes_a_rack_and_goes_back():
    rack = rack_from_csv(GOOD.encode())
    again = rack_from_gpl(rack_gpl(rack))
    assert [(p.name, p.looks.hex) for p in again] == [(p.name, p.looks.hex) for p in rack]
    twice = rack_from_gpl(b"GIMP Palette\nName: x\n#\n10 20 30\tMud\n10 20 30 Mud\n 1 2 3\n")
    assert [p.name for p in twice] == ["Mud", "Mud (2)", "#010203"]
    for bad in (b"", b"hello", b"GIMP Palette\n300 0 0 Red\n", b"GIMP Palette\nred\n"):
        with pytest.raises(RackError):
            rack_from_gpl(bad)


def test_a_name_that_is_nearly_right_is_hinted_at():
    with pytest.raises(RackError, match="did you mean Soot"):
        rack_from_csv(GOOD.encode()).find("oot")
