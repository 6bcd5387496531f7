"""Cuts the small pictures of the guide out of docs/screenshots: ``python tools/guide_pictures.py``."""

from pathlib import Path

from PIL import Image

ROOT = Path(__file__).parents[1]
SHOTS, OUT = ROOT / "docs" / "screenshots", ROOT / "src" / "truegauge" / "guide" / "pictures"
# Name: the screenshot, and the box (left, top, right, bottom) of it.
PICTURES = {
    "begin": ("start", (68, 44, 1280, 640)),
    "part": ("part", (68, 44, 956, 560)),
    "devices": ("devices", (68, 44, 1280, 700)),
    "align": ("align", (68, 44, 956, 700)),
    "measure": ("feature", (68, 44, 956, 700)),
    "list": ("measure", (956, 44, 1280, 420)),
    "evaluate": ("evaluate", (68, 44, 956, 640)),
    "section": ("flat-section", (348, 44, 956, 640)),
    "silhouette": ("silhouette", (348, 44, 956, 700)),
    "series": ("series", (348, 44, 956, 800)),
    "report": ("report", (68, 44, 956, 700)),
    "many": ("batch", (0, 0, 980, 560)),
}
_WIDEST = 560  # pixels


def main() -> None:
    OUT.mkdir(exist_ok=True)
    for name, (shot, box) in PICTURES.items():
        picture = Image.open(SHOTS / f"{shot}.png").convert("RGB").crop(box)
        scale = min(1.0, _WIDEST / picture.width)
        small = picture.resize((round(picture.width * scale), round(picture.height * scale)), Image.Resampling.LANCZOS)
        small.quantize(128).save(OUT / f"{name}.png", optimize=True)


if __name__ == "__main__":
    main()
