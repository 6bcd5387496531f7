"""Makes the demo data again, from fixed seeds: ``python -m truegauge.demo.make``."""

import json
import sys
from dataclasses import asdict
from pathlib import Path

from truegauge import demo
from truegauge.core.cad.projection import Projector
from truegauge.demo.housing import build_housing
from truegauge.demo.housing_errors import hidden_from_scanner, housing_errors
from truegauge.demo.housing_pmi import write_annotated_step, write_plain_step
from truegauge.demo.scan_maker import ScanSettings, make_scan
from truegauge.formats.files import write_whole
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import write_plan
from truegauge.formats.ply import ply_from_points


def make_housing(folder: Path) -> None:
    """Write the housing, its scan, the truth about it, and its plan."""
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.demo.cmm_plan import cmm_plan
    from truegauge.demo.plan import housing_plan
    from truegauge.jobs.routing import routed

    part = folder / demo.PART.name
    write_annotated_step(build_housing(), part, "LW-1140 worm-drive housing")
    model = read_part(part)
    settings = ScanSettings(hidden=hidden_from_scanner, errors=housing_errors(model))
    points, truth = make_scan(model, Projector(model), settings)
    comment = "LW-1140 worm-drive housing, number 0027, made-up data"
    write_whole(folder / demo.SCAN.name, ply_from_points(points, comment=comment))
    write_whole(folder / demo.TRUTH.name, (json.dumps(truth, indent=1) + "\n").encode())
    write_plan(folder / demo.PLAN.name, housing_plan(model), part.read_bytes())
    routed_plan = routed(cmm_plan(model), Evaluator(model), make=True, look=False).plan
    write_plan(folder / demo.CMM_PLAN.name, routed_plan, part.read_bytes())


def make_cover(folder: Path) -> None:
    """Write the cover, its scan, the truth about it, and its plan."""
    from truegauge.demo.cover import build_cover
    from truegauge.demo.cover_data import cover_plan, scan_of_cover

    part = folder / demo.COVER_PART.name
    write_plain_step(build_cover(), part, "LW-1215 mirror-cell cover")
    model = read_part(part)
    points, truth = scan_of_cover(model)
    comment = "LW-1215 mirror-cell cover, number 0008, made-up data"
    write_whole(folder / demo.COVER_SCAN.name, ply_from_points(points, comment=comment))
    write_whole(folder / demo.COVER_TRUTH.name, (json.dumps(truth, indent=1) + "\n").encode())
    write_plan(folder / demo.COVER_PLAN.name, cover_plan(model), part.read_bytes())


def make_vane(folder: Path) -> None:
    """Write the vane, a scan of its aerofoil in part coordinates, the truth about it, and its plan."""
    from truegauge.demo.vane import NOISE, VaneErrors, build_vane, vane_cloud
    from truegauge.demo.vane_plan import traces_of_vane, vane_plan
    from truegauge.formats.sample_file import write_sample

    part = folder / demo.VANE_PART.name
    write_plain_step(build_vane(), part, "LW-1330 cooling-fan vane")
    write_plan(folder / demo.VANE_PLAN.name, vane_plan(read_part(part)), part.read_bytes())
    errors = VaneErrors()
    comment = "LW-1330 cooling-fan vane, number 0012, made-up data"
    write_whole(folder / demo.VANE_SCAN.name, ply_from_points(vane_cloud(errors=errors), comment=comment))
    write_sample(folder / demo.VANE_TRACES.name, traces_of_vane(errors), ())
    heights = (10, 20, 30, 40, 50, 60, 70, 80, 90)
    document = {"noise": NOISE, "errors": asdict(errors),
                "sections": [{"height": z, **errors.made(z).values()} for z in heights]}  # fmt: skip
    write_whole(folder / demo.VANE_TRUTH.name, (json.dumps(document, indent=1) + "\n").encode())


def make_panel(folder: Path) -> None:
    """Write a scan of the panel that was hit by hail, the truth about it, and its plan; there is no part."""
    from truegauge.demo.panel import injected, panel_cloud, place_of
    from truegauge.demo.panel_plan import panel_plan

    points, _ = panel_cloud(200_000, 3)
    truth = [{"place": place_of(one).tolist(),
              "depth": one.depth, "length": 2 * one.a, "width": 2 * one.b} for one in injected()]  # fmt: skip
    comment = "LW-1502 dome shutter panel, number 0003, made-up data"
    write_whole(folder / demo.PANEL_SCAN.name, ply_from_points(points, comment=comment))
    document = {"noise": 0.03, "imperfections": truth}
    write_whole(folder / demo.PANEL_TRUTH.name, (json.dumps(document, indent=1) + "\n").encode())
    write_plan(folder / demo.PANEL_PLAN.name, panel_plan(), None)


def make_shadows(folder: Path) -> None:
    """Write the plans for silhouettes, and how their first parts were made."""
    from truegauge.demo.shadow_plans import PARTS

    truth = {}
    for drawing, part in PARTS.items():
        part.plan().save(folder / f"{drawing}.tgplan")
        truth[drawing] = {str(k): part.true(part.made(k)) for k in range(20)}
    write_whole(folder / demo.SHADOW_TRUTH.name, (json.dumps(truth, indent=1) + "\n").encode())


def main() -> int:
    """Write all demo parts, or those named after the folder."""
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else demo.DATA
    folder.mkdir(parents=True, exist_ok=True)
    makers = {"LW-1140": make_housing, "LW-1215": make_cover, "LW-1330": make_vane, "LW-1502": make_panel,
              "LW-1408": make_shadows}  # fmt: skip
    for name in sys.argv[2:] or makers:
        makers[name](folder)
    return 0


if __name__ == "__main__":
    sys.exit(main())
