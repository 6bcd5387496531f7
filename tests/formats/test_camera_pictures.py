"""Pictures of a camera as files: what is read, and what is said of others."""

import zlib

import cv2
import numpy as np
import pytest

from truegauge.core.errors import FormatError
from truegauge.formats.pictures import pictures_in, read_picture


@pytest.fixture
def grey():
    return np.random.default_rng(1).integers(0, 256, (60, 80)).astype(np.uint8)


@pytest.mark.parametrize("suffix", ["png", "tif", "tiff", "bmp"])
def test_grey_pictures_are_read_as_they_are(grey, tmp_path, suffix):
    path = tmp_path / f"part.{suffix}"
    assert cv2.imwrite(str(path), grey)
    assert np.array_equal(read_picture(path), grey)


def test_sixteen_bits_and_colours_are_told_as_grey(grey, tmp_path):
    deep = tmp_path / "deep.png"
    cv2.imwrite(str(deep), grey.astype(np.uint16) * 257)
    assert np.array_equal(read_picture(deep), grey)
    alike = tmp_path / "alike.png"
    cv2.imwrite(str(alike), np.dstack([grey] * 3))
    assert np.array_equal(read_picture(alike), grey)
    colours = tmp_path / "colours.png"
    blue, green, red = (np.full((20, 30), v, dtype=np.uint8) for v in (10, 100, 200))
    cv2.imwrite(str(colours), np.dstack([blue, green, red]))
    assert read_picture(colours)[0, 0] == round(0.114 * 10 + 0.587 * 100 + 0.299 * 200)
    see_through = tmp_path / "through.png"
    cv2.imwrite(str(see_through), np.dstack([grey, grey, grey, np.full_like(grey, 255)]))
    assert np.array_equal(read_picture(see_through), grey)


def test_a_name_that_is_no_english_is_read(grey, tmp_path):
    path = tmp_path / "Teil größer Ø.png"
    path.write_bytes(cv2.imencode(".png", grey)[1].tobytes())
    assert np.array_equal(read_picture(path), grey)


def _sized(png, side):
    head = b"IHDR" + side.to_bytes(4, "big") * 2 + png[24:29]
    return png[:12] + head + zlib.crc32(head).to_bytes(4, "big") + png[33:]


def test_what_is_no_picture_is_said(grey, tmp_path):
    whole = cv2.imencode(".png", grey)[1].tobytes()
    for name, content, words in (
        ("text.png", b"no picture at all", "no picture"), ("empty.png", b"", "empty"),
        ("head.png", whole[:60], "cut off"), ("small.png", cv2.imencode(".png", grey[:5])[1].tobytes(), "80 x 5"),
        ("huge.png", _sized(whole, 90_000), "90,000 x 90,000|unpacks to more"),
        ("real.tif", cv2.imencode(".tif", grey.astype(np.float32))[1].tobytes(), "32 bits"),
    ):  # fmt: skip
        path = tmp_path / name
        path.write_bytes(content)
        with pytest.raises(FormatError, match=words) as error:
            read_picture(path)
        assert str(error.value).startswith(name)
    with pytest.raises(FormatError, match="no such file"):
        read_picture(tmp_path / "nowhere.png")
    with pytest.raises(FormatError, match="folder"):
        read_picture(tmp_path)


@pytest.mark.parametrize("suffix", [".png", ".tif", ".bmp"])
def test_pictures_cut_off_anywhere_are_said(grey, tmp_path, suffix):
    """What is missing is never taken for shadow."""
    whole = cv2.imencode(suffix, grey)[1].tobytes()
    path = tmp_path / f"cut{suffix}"
    for end in np.linspace(1, len(whole) - 40, 40).astype(int):
        path.write_bytes(whole[:end])
        with pytest.raises(FormatError, match=r"^cut"):
            read_picture(path)


def test_a_folder_gives_its_pictures_by_their_names(grey, tmp_path):
    for name in ("b.png", "a.TIF", "c.txt", ".hidden.png"):
        (tmp_path / name).write_bytes(cv2.imencode(".png", grey)[1].tobytes())
    assert [p.name for p in pictures_in(tmp_path)] == ["a.TIF", "b.png"]
    assert pictures_in(tmp_path / "b.png") == [tmp_path / "b.png"]
    (tmp_path / "other").mkdir()
    with pytest.raises(FormatError, match="no pictures"):
        pictures_in(tmp_path / "other")
