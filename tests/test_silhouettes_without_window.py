"""Silhouettes by the command line and in Python: plans made without a window, pictures in, numbers and files out."""

import csv
import json
import math

import numpy as np
import pytest
from tests.test_imperfections_without_window import command

import truegauge as tg
from truegauge import demo
from truegauge.core.errors import FormatError, TrueGaugeError
from truegauge.core.nodes.shadow import lens_for
from truegauge.core.samples.contributions import ShadowPicture
from truegauge.core.samples.document import PictureFile, SampleData
from truegauge.core.samples.sample import Sample
from truegauge.core.silhouette.looking import Place
from truegauge.demo.flat_parts import plate_outline
from truegauge.demo.shadow_plans import CAMERA_LENS, PLATE, PLATE_PART, SHAFT, camera, plate_picture
from truegauge.devices.camera_sim.plates import pin_outline
from truegauge.formats.lens_file import read_lens
from truegauge.formats.pictures import png_of
from truegauge.formats.sample_file import read_sample, sample_from_picture, write_sample


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A plan, a plate, and three parts that lie anyhow."""
    made = tmp_path_factory.mktemp("shadows")
    SHAFT.plan().save(made / "shaft.tgplan")
    (made / "plate.png").write_bytes(png_of(plate_picture()))
    rng = np.random.default_rng(7)
    (made / "parts").mkdir()
    for k in range(3):
        (made / "parts" / f"part-{k}.png").write_bytes(
            png_of(SHAFT.picture(SHAFT.made(k), SHAFT.put(rng, most=0.5), camera(k)))
        )
    return made


def values(path):
    return {c["name"]: c for c in json.loads(path.read_text())["characteristics"]}


def test_pictures_are_inspected_like_scans(folder):
    out = folder / "out"
    code, said, err = command("inspect", folder / "shaft.tgplan", "--picture", folder / "parts" / "part-0.png", "--out",
                              out, "--formats", "pdf,html,xlsx,csv,json,sample")  # fmt: skip
    assert (code, err) == (0, "")
    assert "15 within" in said
    found, true = values(out / "results.json"), SHAFT.true(SHAFT.made(0))
    for name, own in found.items():
        value = math.radians(own["measured"]) if own["unit"] == "deg" else own["measured"]
        assert value == pytest.approx(true[name], abs=2e-3 if own["kind"] != "shadow_radius" else 5e-3)
        assert 0 < own["uncertainty"] < 0.1
    seen = json.loads((out / "results.json").read_text())["silhouette"]
    assert seen["picture"] == "part-0.png"
    assert seen["calibration"]["by"] == "plate"
    assert (out / "report.pdf").read_bytes().startswith(b"%PDF")
    page = (out / "report.html").read_text()
    assert "Measured in its shadow: found by its datums" in page
    assert "a pixel is 16.01" in page
    rows = list(csv.DictReader((out / "results.csv").read_text().splitlines()))
    assert [r["name"] for r in rows] == list(found)
    # The sample holds the picture: inspected again it tells the same to the last digit.
    again = folder / "again"
    assert command("inspect", folder / "shaft.tgplan", "--scan", out / "results.tgsample", "--out", again)[0] == 0
    assert values(again / "results.json") == found


def test_several_pictures_go_into_folders_and_a_batch_takes_them_too(folder):
    plan, parts = folder / "shaft.tgplan", sorted((folder / "parts").iterdir())
    code, said, _ = command(
        "inspect", plan, "--picture", parts[0], parts[1], "--out", folder / "two", "--formats", "json"
    )
    assert code in (0, 1)
    assert "part-0.png:" in said
    whole = command("inspect", plan, "--picture", folder / "parts", "--out", folder / "all", "--formats", "json")
    assert whole[0] in (0, 1)
    batch = tg.batch(plan, [folder / "parts"], folder / "batch", formats=("json",), jobs=1)
    for k, part in enumerate(parts):
        one = values(folder / "all" / part.stem / "results.json")
        assert one == values(folder / "batch" / f"{part.stem}.json")
        if k < 2:
            assert one == values(folder / "two" / part.stem / "results.json")
    assert all(not record.failed for record in batch.values())


def test_a_camera_is_calibrated_by_a_plate_or_by_pins(folder):
    out = folder / "camera.json"
    code, said, _ = command("calibrate-camera", folder / "plate.png", "--plate", f"{PLATE[0]},{PLATE[1]}", "--out", out,
                            "--camera", "north", "--due", "2027-06-30")  # fmt: skip
    assert code == 0
    assert "a pixel is 16.01" in said
    lens = read_lens(out)
    assert (lens.camera, lens.due_at, lens.by) == ("north", "2027-06-30", "plate")
    assert lens.calibration.lens.pixel == pytest.approx(CAMERA_LENS.pixel, rel=1e-5)
    part = folder / "parts" / "part-0.png"
    found = command("inspect", folder / "shaft.tgplan", "--picture", part, "--calibration", out, "--out", folder / "c")
    assert found[0] == 0
    taken, paths = camera(5), []
    for k in range(6):
        path = folder / f"pin-{k}.png"
        middle = np.array([-8.0 + 3 * k, 3.0 * (-1) ** k])
        path.write_bytes(png_of(taken.picture([pin_outline(4.0, 0.5 * k, middle, 9.0)])))
        paths.append(path)
    code, said, _ = command("calibrate-camera", *paths, "--pin", "4.0", "--out", folder / "pins.json")
    assert code == 0
    pins = read_lens(folder / "pins.json")
    assert pins.by == "pins"
    assert abs(pins.calibration.lens.pixel / CAMERA_LENS.pixel - 1) < 3 * pins.scale_u


@pytest.mark.parametrize(("arguments", "words"), [
    (["inspect", "shaft.tgplan", "--out", "x"], "--picture FILE"),
    (["inspect", "shaft.tgplan", "--picture", "plate.png", "--scan", "plate.png", "--out", "x"], "--picture FILE"),
    (["inspect", "shaft.tgplan", "--picture", "shaft.tgplan", "--out", "x"], "no picture"),
    (["inspect", "shaft.tgplan", "--picture", "nothing.png", "--out", "x"], "no such file"),
    (["inspect", "shaft.tgplan", "--picture", "plate.png", "plate.png", "--out", "x"], "two pictures"),
    (["inspect", "shaft.tgplan", "--picture", "plate.png", "--calibration", "plate.png", "--out", "x"], "damaged"),
    (["calibrate-camera", "plate.png", "--out", "x.json"], "either"),
    (["calibrate-camera", "plate.png", "--plate", "2", "--out", "x.json"], "two numbers"),
    (["calibrate-camera", "plate.png", "--plate", "2,x", "--out", "x.json"], "no numbers"),
    (["calibrate-camera", "plate.png", "--plate", "3,1", "--out", "x.json"], "another plate"),
    (["calibrate-camera", "parts/part-0.png", "--plate", "2,1", "--out", "x.json"], "dots"),
    (["calibrate-camera", "plate.png", "--pin", "4,5", "--out", "x.json"], "2 diameters"),
    (["calibrate-camera", "plate.png", "--plate", "2,1", "--due", "30.6.2027", "--out", "x.json"], "no date"),
])  # fmt: skip
def test_what_cannot_be_is_said_in_one_line(folder, monkeypatch, arguments, words):
    monkeypatch.chdir(folder)
    code, _, err = command(*arguments)
    assert code == 2
    assert words in " ".join(err.split())
    assert not (folder / "x.json").exists()


def test_nothing_is_measured_in_mm_without_a_calibration(folder):
    own = tg.open_silhouette(folder / "shaft.tgplan")
    kept = own.lens
    own.lens = None
    found = tg.inspect(own, folder / "parts" / "part-0.png")
    assert {r.state for r in found} == {"not_measured"}
    assert "not calibrated" in found.results[0].reason
    assert own.undo()
    assert own.lens == kept
    # A camera that says who it is is not measured by the calibration of another one.
    pixels = sample_from_picture(folder / "parts" / "part-0.png").pictures[0].pixels
    foreign = ShadowPicture.of(PictureFile(file_name="a", camera="south"), pixels)
    with pytest.raises(TrueGaugeError, match="not calibrated"):
        lens_for(own.silhouette, foreign)
    known = ShadowPicture.of(PictureFile(file_name="a", camera="south", lens=kept.replace(camera="south")), pixels)
    assert lens_for(own.silhouette, known).camera == "south"
    with pytest.raises(TrueGaugeError, match="1000 x 800"):
        lens_for(own.silhouette, ShadowPicture.of(PictureFile(), pixels[:800, :1000]))


def test_every_bad_picture_says_why_and_has_no_value(folder):
    own, nominal = tg.open_silhouette(folder / "shaft.tgplan"), SHAFT.nominal
    taken = camera(4)
    outline = SHAFT.outlines(nominal)[0]
    cases = {
        "no part": [], "border": [outline - np.array([2.0, 0.0])],
        "2 parts": [0.3 * outline + np.array([-15.0, 5.0]), 0.3 * outline - np.array([0.0, 5.0])],
    }  # fmt: skip
    for words, outlines in cases.items():
        picture = ShadowPicture.of(PictureFile(file_name="p"), taken.picture(outlines))
        found = tg.inspect(own, sample=Sample.of(SampleData(), pictures=(picture,)))
        assert all(r.value is None and words in r.reason for r in found), (words, found.results[0].reason)
        assert not found.is_good
    blurred = SHAFT.picture(nominal, SHAFT.taught, taken, sharp=2.0)
    found = tg.inspect(own, sample=Sample.of(SampleData(), pictures=(ShadowPicture.of(PictureFile(), blurred),)))
    assert "out of focus" in found.results[0].reason
    dark = (blurred // 8).astype(np.uint8)
    found = tg.inspect(own, sample=Sample.of(SampleData(), pictures=(ShadowPicture.of(PictureFile(), dark),)))
    assert "too dark" in found.results[0].reason


def test_temperature_counts_and_general_tolerances_hold(folder):
    own = tg.open_silhouette(folder / "shaft.tgplan")
    own.general("f-H")
    own.size("size", "seat above", "seat below", nominal=8.0, name="Seat again")
    own.size("radius", "corner", nominal=0.8, name="Rounding")
    own.size("radius", "fillet", nominal=0.8, name="Hollow")
    own.size("radius", "fillet", nominal=0.4, name="Small")
    own.size("angle", "seat above", "shoulder", nominal=math.pi / 2, name="Square")
    path = folder / "parts" / "part-0.png"
    cold = tg.inspect(own, path)
    assert cold["Seat again"].limits == (7.9, 8.1)
    # A rounding breaks an edge, a hollow does not; of less than 0.5 mm and of angles without legs classes say nothing.
    assert cold["Rounding"].limits == pytest.approx((0.6, 1.0))
    assert cold["Hollow"].limits == pytest.approx((0.75, 0.85))
    assert cold["Small"].limits == cold["Square"].limits == (None, None)
    assert cold["Rounding"].characteristic.kind == cold["Hollow"].characteristic.kind == "shadow_radius"
    sample = sample_from_picture(path).saying(temperature_c=30.0)
    from truegauge.core.plan.part import PartMaterial

    own.rules(material=PartMaterial(name="steel", expansion=1.2e-5))
    warm = tg.inspect(own, sample=sample)
    assert warm["Bearing seat"].value == pytest.approx(cold["Bearing seat"].value / (1 + 1.2e-5 * 10), rel=1e-9)


def test_plans_made_by_names_are_refused_where_they_make_no_sense(folder):
    own = tg.new_silhouette("try")
    with pytest.raises(TrueGaugeError, match="no calibration"):
        own.teach(folder / "parts" / "part-0.png", origin=(0, 0))
    own.lens = tg.calibrate_by_plate(folder / "plate.png", *PLATE)
    own.edge("a", at=(0, 0), turn=0.0, reach=1.0, wide=1.0)
    with pytest.raises(TrueGaugeError, match="already"):
        own.edge("a", at=(0, 0), turn=0.0, reach=1.0, wide=1.0)
    with pytest.raises(TrueGaugeError, match="no edge 'b'"):
        own.size("size", "a", "b", nominal=1.0)
    with pytest.raises(ValueError, match="greater than 0"):
        own.edge("c", at=(0, 0), turn=0.0, reach=0.0, wide=1.0)
    with pytest.raises(TrueGaugeError, match="not seen"):
        own.find_by("a", "a", folder / "parts" / "part-0.png", origin=(-19.0, -16.0))
    with pytest.raises(TrueGaugeError, match="choose the edges"):
        own.teach(folder / "parts" / "part-0.png", origin=(0, 0))
    assert set(tg.silhouette_sizes()) >= {"size", "radius", "thread_pitch"}
    assert own.document.characteristics == ()
    other = tg.Plan(own.document.replace(silhouette=None), own.model)
    other.save(folder / "none.tgplan")
    with pytest.raises(TrueGaugeError, match="not for silhouettes"):
        tg.open_silhouette(folder / "none.tgplan")


def test_a_sample_whose_picture_is_gone_or_broken_is_refused(folder, tmp_path):
    import zipfile

    sample = sample_from_picture(folder / "parts" / "part-1.png")
    path = tmp_path / "a.tgsample"
    write_sample(path, sample, ())
    again, contents = read_sample(path)
    assert contents == ()
    assert np.array_equal(again.pictures[0].pixels, sample.pictures[0].pixels)
    assert again.pictures[0].key == sample.pictures[0].key
    with zipfile.ZipFile(path) as archive:
        members = {n: archive.read(n) for n in archive.namelist()}
    for change, words in (
        ({"picture-1.png": None}, "missing"), ({"picture-1.png": b"\x89PNG broken"}, "broken|no picture"),
    ):  # fmt: skip
        with zipfile.ZipFile(path, "w") as archive:
            for name, content in {**members, **change}.items():
                if content is not None:
                    archive.writestr(name, content)
        with pytest.raises(FormatError, match=words):
            read_sample(path)


def test_the_outline_is_compared_with_a_contour_of_a_drawing_and_of_a_part(tmp_path):
    import ezdxf

    own = PLATE_PART.plan()
    outline = plate_outline(PLATE_PART.nominal)
    document = ezdxf.new()
    document.header["$INSUNITS"] = 4
    document.modelspace().add_lwpolyline(outline.tolist(), close=True)
    document.saveas(tmp_path / "plate.dxf")
    own.contour("drawing", tmp_path / "plate.dxf")
    own.contour("typed", [np.vstack([outline, outline[:1]]).tolist()])
    own.size("profile", "drawing", upper=0.05, name="Profile")
    own.size("profile", "typed", upper=0.05, name="Typed")
    own.size("profile_fitted", "drawing", upper=0.05, name="Fitted")
    own.save(tmp_path / "plate.tgplan")
    own = tg.open_silhouette(tmp_path / "plate.tgplan")
    picture = tmp_path / "part.png"
    picture.write_bytes(png_of(PLATE_PART.picture(PLATE_PART.made(6), Place(np.array([-10.0, -12.0]), 0.4))))
    found = tg.inspect(own, picture)
    assert found["Profile"].value == pytest.approx(found["Typed"].value, abs=1e-5)
    assert 0.002 < found["Fitted"].value < found["Profile"].value + 0.002
    made = [abs(v) for v in _made_off(PLATE_PART)]
    assert found["Profile"].value < 2 * sum(made)
    found.report(tmp_path / "report.pdf")
    found.report(tmp_path / "report.html")
    with pytest.raises(FormatError, match="no DXF"):
        own.contour("bad", tmp_path / "part.png")
    own.contour_of_part("section", demo.PART, origin=(0, 0, 7.0), normal=(0, 0, 1), across=(1, 0, 0))
    lines = own.silhouette.contours[-1].lines
    every = np.vstack(lines)
    assert np.ptp(every, axis=0) == pytest.approx([140.0, 90.0], abs=1e-6)
    with pytest.raises(TrueGaugeError, match="does not cut"):
        own.contour_of_part("none", demo.PART, origin=(0, 0, 700.0), normal=(0, 0, 1))


def _made_off(part):
    from dataclasses import astuple

    return [a - b for a, b in zip(astuple(part.made(6)), astuple(part.nominal), strict=True)]
