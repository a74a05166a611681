"""The wear stage in the pages: layers, their price, what stays clean, their coats."""

from .test_glow import levels

URL = "/sculpts/1"


def wear(painter):
    return painter.client.get(f"{URL}/wear.json").get_json()


def change(painter, what, code=200, **more):
    return painter.json("POST", f"{URL}/wear", {"do": what, **more}, code=code).get_json()


def test_a_model_is_weathered_put_in_the_plan_and_cleaned_again(marked):
    """CP-32: varnish below the grime and between; optional layers say their minutes; the glow stays before it."""
    marked.json("POST", f"{URL}/glow", {"do": "add", "kind": "region", "region": 1})
    cloth = {row["name"]: row["words"] for row in wear(marked)["layers"]}
    assert "nothing here" in cloth["chips"] and "min" in cloth["dust"], "CP-41: no chips on a wool cloak"
    marked.region(do="describe", number=1, material="painted armour")
    first = wear(marked)
    amounts = {row["name"]: row["amount"] for row in first["layers"]}
    assert amounts["chips"] > 0 == amounts["verdigris"] and not first["painted"]
    assert all(
        "min" in row["words"]
        for row in first["layers"]
        if row["amount"] and row["optional"] and row["name"] != "scuffs"
    )
    clean, worn = (levels(marked, f"show={show}", "wear") for show in ("clean", "worn"))
    much = levels(marked, "show=worn&layer=dust&amount=1", "wear")
    assert (clean != worn).any() and (much != worn).any()
    assert wear(marked)["layers"] == first["layers"], "nothing is kept while a slider moves"
    change(marked, "set", amounts={"dust": 0, "grime": 0}, seed=7)
    kept = wear(marked)
    assert kept["seed"] == 7 and "dust" not in " ".join(c["label"].lower() for c in kept["coats"])
    change(marked, "paint", turn=kept["turn"])
    done = wear(marked)
    assert (
        done["painted"]
        and not done["stale"]
        and "Sponge chips" in marked.client.get(f"{URL}/sheet").get_data(as_text=True)
    )
    assert "in another tab" in change(marked, "paint", 409, turn=kept["turn"])["error"]
    number = marked.client.get(f"{URL}/glow.json").get_json()["glows"][0]["number"]
    marked.json("POST", f"{URL}/glow", {"do": "paint", "number": number})
    assert wear(marked)["painted"], "the glow hands it on"
    sheet = marked.client.get(f"{URL}/sheet").get_data(as_text=True)
    assert sheet.index("the source solid white") < sheet.index("Sponge chips")
    change(marked, "set", spared=[1])
    assert wear(marked)["stale"] and wear(marked)["regions"][0]["spared"]
    change(marked, "set", spared=[], share={"region": 1, "layer": "chips", "share": 0.0})
    (own,) = wear(marked)["regions"]
    assert own["shares"]["chips"] == 0 and own["changed"] == ["chips"] and own["shares"]["dust"] == 1
    change(marked, "set", share={"region": 1, "layer": "chips", "share": None})
    assert wear(marked)["regions"][0]["shares"]["chips"] == 1
    change(marked, "unpaint")
    assert not wear(marked)["painted"] and marked.client.get(f"{URL}/glow.json").get_json()["coats"]
    change(marked, "usual")
    assert {row["name"]: row["amount"] for row in wear(marked)["layers"]} == amounts
    for bad, says in (
        ({"amounts": {"moss": 1}}, "wear is"),
        ({"amounts": {"dust": 7}}, "between 0 and 1"),
        ({"seed": -1}, "pattern"),
        ({"amounts": 3}, "name of a layer"),
        ({"spared": [7]}, "region"),
        ({"share": {"region": 1, "layer": "moss", "share": 1}}, "wear is"),
    ):
        assert says in change(marked, "set", 400, **bad)["error"]
    assert "not known" in change(marked, "spin", 400)["error"]
    assert marked.client.get(f"{URL}/wear.bin?layer=dust&amount=x").status_code == 400
