"""Opening and saving: parts, plans, scans, samples, tables; read in the background, written whole or not at all."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from truegauge.app.document.document import Document
from truegauge.app.document.opened import Kept, OpenedPart
from truegauge.app.document.queue import WrongUnit
from truegauge.core.cad.nominal_part import NominalRow
from truegauge.core.cad.revision import Matching, match_faces
from truegauge.core.clouds.extent import scan_diagonal, unit_doubt
from truegauge.core.errors import FormatError, TrueGaugeError
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.progress import Progress, part_of
from truegauge.core.samples.document import Touch
from truegauge.core.samples.sample import Sample
from truegauge.formats.files import Content, read_bytes, write_whole
from truegauge.formats.nominal_csv import names_features, part_from_csv, rows_to_csv
from truegauge.formats.part import read_part
from truegauge.formats.part_kinds import NOMINAL_ENDING, PART_ENDINGS, part_key
from truegauge.formats.pictures import SUFFIXES
from truegauge.formats.plan_file import PlanFile, model_of_plan, read_plan, write_plan
from truegauge.formats.ply import ply_from_mesh, ply_from_points
from truegauge.formats.sample_file import open_sample, write_sample
from truegauge.formats.scan import SCAN_READERS, Columns
from truegauge.formats.stl import stl_from_mesh
from truegauge.formats.touches_csv import read_touches

SCAN_ENDINGS = (*SCAN_READERS, ".tgsample")
PLAN_ENDING = ".tgplan"


class Files:
    """Brings files into a document and writes what is in it."""

    def __init__(self, document: Document) -> None:
        self._document = document

    def open_file(self, path: Path, unit: str = "", *, as_example: bool = False) -> None:
        """Open whatever the file is by its ending: a part, a scan or sample, or a plan (see `open_plan`)."""
        ending = path.suffix.lower()
        if ending in PART_ENDINGS and (ending != NOMINAL_ENDING or names_features(path)):
            self.open_part(path)
        elif ending in SUFFIXES and self._document.plan.silhouette is None:
            words = "pictures of shadows are measured by a plan for silhouettes: open one, or begin a new one"
            self._document.notify(FormatError(path, words))
        elif ending in (*SCAN_ENDINGS, *SUFFIXES):
            self.open_scan(path, unit)
        elif ending == PLAN_ENDING:
            self.open_plan(path, as_example=as_example)
        else:
            known = ", ".join((*PART_ENDINGS, *SCAN_ENDINGS, PLAN_ENDING))
            self._document.notify(FormatError(path, f"this kind of file cannot be opened; use one of {known}"))

    def open_part(self, path: Path) -> None:
        """Read a part and make it the part of the plan; a revision of the part keeps the plan's features."""

        def read(progress: Progress) -> OpenedPart:
            return OpenedPart(read_part(path, progress=part_of(progress, 0, 0.8)), read_bytes(path))

        self._use_part(read, path.name)

    def use_nominals(self, rows: tuple[NominalRow, ...], file_name: str) -> None:
        """Make typed nominal features the part of the plan."""

        def build(progress: Progress) -> OpenedPart:
            content = rows_to_csv(rows)
            return OpenedPart(part_from_csv(Path(file_name), content, part_key(content)), content)

        self._use_part(build, file_name)

    def _use_part(self, read: Callable[[Progress], OpenedPart], file_name: str) -> None:
        before = self._document.model if self._document.plan.all_features else None

        def work(progress: Progress) -> tuple[OpenedPart, Matching | None]:
            part = read(progress)
            return part, None if before is None else match_faces(before, part.model)

        def done(result: tuple[OpenedPart, Matching | None]) -> None:
            part, matching = result
            self._document.use_part(part, matching, file_name)

        self._document.queue.start(work, done, f"Reading {file_name}")

    def open_scan(self, path: Path, unit: str = "", columns: Columns | None = None, *, add: bool = False) -> None:
        """Bring in a scan, or open a sample; everything is evaluated again.

        With `add` the scan joins those of the present sample, in whose coordinates it must be.
        """
        present = self._document.sample if add else None
        contents = self._document.sample_contents if add else ()

        def work(progress: Progress) -> tuple[Sample, tuple[Content, ...]]:
            progress(0.1, "")
            sample, content = open_sample(path, unit, columns, progress=part_of(progress, 0.1, 0.9))
            progress(0.9, "")
            model = self._document.model
            # A unit that the user chose is believed; what a file does not tell is compared with the part.
            if not unit and path.suffix.lower() != ".tgsample" and len(sample.points):
                size = scan_diagonal(sample.points)
                doubt = unit_doubt(size, None if model is None else model.diagonal, sample.unit)
                if doubt is not None:
                    raise WrongUnit(path, doubt.text, doubt.unit, sample.unit)
            return (sample, content) if present is None else (present.joined(sample), contents + content)

        def done(result: tuple[Sample, tuple[Content, ...]]) -> None:
            self._document.use_sample(*result, saved=present is None)  # scans joined are in no file yet

        self._document.queue.start(
            work,
            done,
            f"Reading {path.name}",
            again=lambda u, c: self.open_scan(path, u or unit, c or columns, add=add),
        )

    def open_plan(self, path: Path, *, as_example: bool = False) -> None:
        """Open a plan with its part; the sample stays and is evaluated by it.

        An example is saved elsewhere: where it came from it stays as it was.
        """

        def work(progress: Progress) -> tuple[PlanFile, OpenedPart | None]:
            file = read_plan(path)
            return file, _part_of_plan(path, file, part_of(progress, 0, 0.8))

        def done(result: tuple[PlanFile, OpenedPart | None]) -> None:
            file, part = result
            where = (None, None) if as_example else (path, file.stamp)
            self._document.use_plan(file.plan, part, *where)

        self._document.queue.start(work, done, f"Opening {path.name}")

    def restore(self, kept: Kept, then: Callable[[], None]) -> None:
        """Take up unsaved work again, which stays unsaved; `then` is called when it is there."""

        def work(progress: Progress) -> tuple[PlanFile, OpenedPart | None, Sample | None, tuple[Content, ...]]:
            file = read_plan(kept.plan)
            part = _part_of_plan(kept.plan, file, part_of(progress, 0, 0.5))
            sample: Sample | None = None
            contents: tuple[Content, ...] = ()
            if kept.sample is not None:
                sample, contents = open_sample(kept.sample, progress=part_of(progress, 0.5, 0.9))
            elif kept.data is not None:
                sample = Sample.of(kept.data)
            if sample is not None and kept.data is not None:
                sample = sample.with_data(kept.data)
            return file, part, sample, contents

        def done(result: tuple[PlanFile, OpenedPart | None, Sample | None, tuple[Content, ...]]) -> None:
            file, part, sample, contents = result
            self._document.take_up(kept, file.plan, part, sample, contents)
            then()

        self._document.queue.start(work, done, f"Bringing back {kept.name}")

    def save_plan(self, path: Path) -> bool:
        """Save the plan; False with a notice when that fails."""
        plan, part, queue = self._document.plan, self._document.part_content, self._document.queue
        done = queue.hold_for(
            lambda progress: write_plan(path, plan, part),
            lambda stamp: self._document.plan_was_saved(plan, path, stamp),
        )
        if done:
            queue.tell_saved(path)
        return done

    @property
    def plan_was_changed_elsewhere(self) -> bool:
        """Whether the plan's file is not what it was when it was read or written here last."""
        path, stamp = self._document.plan_path, self._document.plan_stamp
        return path is not None and stamp is not None and not stamp.is_of(path)

    def save_sample(self, path: Path) -> bool:
        """Save the sample; False with a notice when that fails."""
        sample, contents = self._document.sample, self._document.sample_contents
        if sample is None:
            return False

        def saved(_: object) -> None:
            if self._document.sample is sample:  # else a touch came while it was written
                self._document.sample_is_saved = True

        done = self._document.queue.hold_for(lambda progress: write_sample(path, sample, contents), saved)
        if done:
            self._document.queue.tell_saved(path)
        return done

    def save_cloud(self, path: Path) -> None:
        """Save the points that count, in part coordinates, each with its deviation."""
        evaluation = self._document.evaluation
        if evaluation is None or isinstance(evaluation.cloud, NotComputed):
            return
        points, found = evaluation.cloud.points, evaluation.cloud.found
        rows = np.flatnonzero(evaluation.cloud.usable)
        self.write(
            path, lambda _: ply_from_points(
                points[rows], normals=found.normals[rows], values=found.distance[rows],
                comment="part coordinates in mm, deviation in mm",
            )
        )  # fmt: skip

    def save_map(self, path: Path) -> None:
        """Save the deviation map as a mesh: PLY with a deviation at each vertex, or its shape as STL."""
        evaluator, plan, sample = self._document.evaluator, self._document.plan, self._document.sample
        if evaluator is None:
            return

        def make(_: Progress) -> bytes:
            found = evaluator.deviation_map(plan, sample)
            if isinstance(found, NotComputed):
                raise TrueGaugeError(found.reason)
            mesh, values = found.fine, found.fine_values
            if path.suffix.lower() == ".stl":
                return stl_from_mesh(mesh.vertices, mesh.triangles)
            return ply_from_mesh(mesh.vertices, mesh.triangles, values)

        self.write(path, make)

    def write(self, path: Path, make: Callable[[Progress], bytes], then: Callable[[], None] = lambda: None) -> None:
        """Make and write a file in the background, `then` go on.

        What fails is told, and the window stays open until it is done.
        """
        queue = self._document.queue

        def done(_: object) -> None:
            queue.tell_saved(path)
            then()

        queue.start(
            lambda progress: write_whole(path, make(progress)), done, f"Saving {path.name}",
            must=True,
        )  # fmt: skip

    def add_turned_scan(self, path: Path, diameter: float) -> None:
        """Add a scan of the part after it was moved or turned over: spheres of a diameter (mm) seen in both place it.

        With a diameter of 0 the part itself does: both scans are fitted to it.
        """
        present, contents, evaluator = self._document.sample, self._document.sample_contents, self._document.evaluator
        if present is None or evaluator is None:
            return

        model, projector = evaluator.model, evaluator.projector

        def work(progress: Progress) -> tuple[Sample, tuple[Content, ...], tuple[str, ...]]:
            from truegauge.core.samples.joining import joined_by_part, joined_by_spheres

            other, content = open_sample(path, progress=part_of(progress, 0.0, 0.3))
            rest = part_of(progress, 0.3, 0.95)
            if diameter > 0:
                joined, notes = joined_by_spheres(present, other, diameter, progress=rest)
            else:
                joined, notes = joined_by_part(present, other, model, projector, progress=rest)
            return joined, contents + content, notes

        def done(result: tuple[Sample, tuple[Content, ...], tuple[str, ...]]) -> None:
            joined, every, notes = result
            self._document.use_sample(joined, every, saved=False)
            self._document.notify(f"{path.name} joined by {joined.files[-1].placed_by}. {'. '.join(notes)}".strip())

        self._document.queue.start(work, done, f"Joining {path.name}")

    def open_touches(self, path: Path) -> None:
        """Bring in measured points with names (a table) as touches of the sample."""

        def done(touches: tuple[Touch, ...]) -> None:
            present = self._document.sample
            self._document.set_touches((*(present.data.touches if present is not None else ()), *touches))
            self._document.notify(f"{len(touches)} measured points from {path.name}.")

        self._document.queue.start(lambda progress: read_touches(path), done, f"Reading {path.name}")


def _part_of_plan(path: Path, file: PlanFile, progress: Progress) -> OpenedPart | None:
    if file.part is None:
        return None
    return OpenedPart(model_of_plan(path, file, progress=progress), file.part)
