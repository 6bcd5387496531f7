"""What the scene of the view holds: part, points, map, needles and marks, as the session says."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from truegauge.app.document.session import Session
from truegauge.app.view.content import ViewContent
from truegauge.app.view.picture import ViewPicture
from truegauge.core.arrays import Rigid
from truegauge.core.nodes.cloud import Cloud
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.samples.sample import Sample
from truegauge.palette import DEVICE_COLORS, Rgb, colors_of, rgb
from truegauge.rendering.report_views import NEEDLE_SHARE, map_needles


class ShownScene:
    """Follows the session, and has the picture drawn again."""

    def __init__(self, session: Session, picture: ViewPicture) -> None:
        self._session, self._picture, self._scene = session, picture, picture.scene
        self.content = ViewContent()
        self.points_motion: Callable[[], Rigid | None] = lambda: None  # of the drawn points, from where they lie
        self.needle_factor = 0.0
        self._points_shown: np.ndarray | None = None
        self._colors_shown: object = (False, None)
        self._map_scale: object = None
        s = session
        s.document.sample_changed.connect(self.refresh_points)
        s.document.evaluated.connect(self._on_evaluated)
        s.bare_scan.changed.connect(self._on_bare_scan)
        s.selection.changed.connect(self._refresh_selection)
        s.pointer.changed.connect(self._refresh_hover)
        s.showing.changed.connect(self.refresh)
        s.document.plan_changed.connect(self._refresh_scale)
        s.showing.live_changed.connect(self._show_live)
        s.proposing.extraction_changed.connect(self._refresh_extraction)

    def set_content(self, content: ViewContent) -> None:
        """Mark what another stage wants to be seen."""
        self.content = content
        self._refresh_marks()
        self.refresh_motion()

    def refresh_motion(self) -> None:
        """Move the points to where the chosen alignment puts them."""
        self._scene.set_points_motion(self.points_motion())
        self._picture.redraw()

    def _show_live(self) -> None:
        """Show the map of a scan that is being taken, or what there is without it."""
        live, scale = self._session.showing.live, self._session.showing.scale
        if live is None:
            if self._scene.live_map.is_shown:
                self._scene.live_map.show(None, np.zeros(0), scale, (0, 0, 0))
                self.refresh_points()
                self.refresh()
            return
        if not self._scene.live_map.is_shown:
            self._scene.show_points(False)
            self._scene.set_map(None, scale)
        self._scene.live_map.show(live.mesh, live.values, scale, self._scene.palette.unseen)
        self._picture.redraw(moving=True)

    def _on_evaluated(self) -> None:
        self.refresh_points()
        self.refresh_motion()
        self.refresh()
        self._refresh_selection()

    def _on_bare_scan(self) -> None:
        self.refresh_points()
        if self._session.model is not None:  # the part is seen by its edges, or as before
            self.refresh()

    def refresh_points(self) -> None:
        """Show the points as they are coloured and left out."""
        evaluation, on_part = self._session.evaluation, self._session.bare_scan.on_part
        if on_part is not None:
            if on_part.points is not self._points_shown:
                self._points_shown, self._colors_shown = on_part.points, None
                self._scene.set_points(on_part.points, None, None, on_part.colors)
        elif evaluation is not None and not isinstance(evaluation.cloud, NotComputed):
            s = self._session
            cloud = evaluation.cloud
            points = cloud.points
            how = (s.shown.colors, s.showing.scale if s.shown.scan_map else None)
            if points is not self._points_shown or how != self._colors_shown:
                self._points_shown, self._colors_shown = points, how
                colors, removed = None, cloud.removed
                if s.shown.scan_map:
                    colors, removed = colors_of(cloud.found.distance, s.showing.scale), cloud.removed | ~cloud.usable
                elif s.sample is not None and s.sample.about.placed and cloud.touched:
                    colors = _by_device(s.sample, cloud, self._scene.palette.points)
                elif s.shown.colors and s.evaluator is not None and s.sample is not None:
                    colors = s.evaluator.colors(s.plan, s.sample)
                self._scene.set_points(points, ~cloud.usable, removed, colors)
                self._scene.show_points(s.shown.points or s.shown.scan_map)
        elif self._session.bare_scan.is_there:
            drawn = self._session.bare_scan.drawn()
            if drawn is not None and drawn.points is not self._points_shown:
                self._points_shown, self._colors_shown = drawn.points, (False, None)
                self._scene.set_points(drawn.points, None, None, drawn.colors)
                self._scene.show_points(True)
        else:
            self._points_shown = None
            self._scene.set_points(None)
        self._picture.redraw()

    def refresh(self) -> None:
        """Show again what the session says, also after the scene was used for something else."""
        s = self._session
        if s.shown.live:
            self._show_live()
            return
        on_part = s.bare_scan.on_part is not None
        if not on_part and (s.shown.colors, s.showing.scale if s.shown.scan_map else None) != self._colors_shown:
            self.refresh_points()
        self._scene.show_points(s.shown.points or s.shown.scan_map or s.bare_scan.is_there or on_part)
        look = s.shown.look if not (s.shown.scan_map or on_part) else replace(s.shown.look, edges_only=True)
        hidden = look.mask(len(s.model.faces)) if s.model is not None and look.hidden else None
        self._scene.set_look(hidden, look.opacity, look.edges_only, look.section)
        shown = None
        if s.shown.wants_map and s.evaluator is not None:
            shown = s.showing.other_map or s.evaluator.known_deviation_map(s.plan, s.sample)
        bare = s.shown.scan_map or on_part
        self._scene.set_map(shown if s.shown.map and not bare else None, s.showing.scale)
        length = NEEDLE_SHARE * self._picture.camera.height if self._picture.camera is not None else 1.0
        self.needle_factor = map_needles(self._scene, shown if s.shown.map_needles else None, s.showing.scale, length)
        self._map_scale = s.showing.scale
        self._refresh_selection()

    def _refresh_scale(self) -> None:
        s = self._session
        if (s.shown.wants_map or s.shown.scan_map) and s.showing.scale != self._map_scale:
            self.refresh()

    def _refresh_selection(self) -> None:
        s = self._session
        colored = s.bare_scan.on_part is not None or s.shown.map or s.shown.scan_map
        told_by_colour = colored or (s.shown.points and s.shown.colors)
        self._scene.set_feature_points(None if told_by_colour else s.selection.points(), s.selection.strays())
        self._refresh_extraction()
        self._refresh_marks()

    def _refresh_extraction(self) -> None:
        """Colour the points that a changed setting chooses, and those that it leaves out, by reason."""
        s = self._session
        e, evaluation = s.proposing.extraction, s.evaluation
        if e is None or evaluation is None or isinstance(evaluation.cloud, NotComputed):
            self._scene.set_left_out(None, None)
            return
        points = evaluation.cloud.points
        self._scene.set_feature_points(points[e.rows], points[e.too_far])
        self._scene.set_left_out(points[e.near_edge], points[e.turned_away])
        self._picture.redraw()

    def _refresh_marks(self) -> None:
        matching = self._session.document.matching
        changed = (*matching.reshaped, *matching.added) if matching else ()
        self._scene.set_faces("changed", changed if self.content.revision else ())
        self._scene.set_faces("selected", self._session.selection.faces())
        self._refresh_hover()

    def _refresh_hover(self) -> None:
        hovered = set(self._session.pointer.hovered_faces()) - set(self._session.selection.faces())
        self._scene.set_faces("hover", tuple(sorted(hovered)))
        self._picture.redraw(moving=not self._picture.is_fine)


def _by_device(sample: Sample, cloud: Cloud, plain: Rgb) -> np.ndarray:
    """Return the colours (n, 3) of points of several devices: touches by who took them.

    The cloud may be of fewer touches than the sample has by now.
    """
    colors = np.tile(np.array(plain, dtype=np.uint8), (len(cloud.points), 1))
    names = list(dict.fromkeys(t.stylus for t in sample.probed))
    rows = np.sort(np.concatenate(list((cloud.touched or {}).values())))
    for row, touch in zip(rows, sample.probed, strict=False):
        colors[row] = rgb(DEVICE_COLORS[names.index(touch.stylus) % len(DEVICE_COLORS)])
    return colors
