"""What is under a place of the view: faces from front to back, and the point of the part."""

import numpy as np

from truegauge.app.document.session import Session
from truegauge.core.arrays import box_corners
from truegauge.core.cad.recognition import whole_surface
from truegauge.rendering.camera import Camera, ray_in_box


def seen_box(session: Session) -> np.ndarray | None:
    """Return the box (2, 3) mm of the part, or of the scan where there is no part; None without either."""
    if session.model is not None:
        return session.model.box
    drawn = session.bare_scan.drawn()
    return None if drawn is None else drawn.box


def seen_middle(session: Session) -> np.ndarray:
    """Return the middle (3,) mm of what is seen: what turning turns about."""
    box = seen_box(session)
    return np.zeros(3) if box is None else np.asarray(box.mean(axis=0))


def all_in(camera: Camera, box: np.ndarray, aspect: float) -> bool:
    """Tell whether a whole box (2, 3) is in a picture."""
    shares = camera.project(box_corners(box), aspect)[:, :2]
    return bool(((shares > -0.01) & (shares < 1.01)).all())


def faces_under(session: Session, camera: Camera, share: tuple[float, float], aspect: float, depth: int) -> list[int]:
    """Return the first faces (at most `depth`) that a ray through a place meets, front to back, without hidden ones.

    The place is in shares of width and height. What the section box cuts away is not met.
    """
    model, evaluator, look = session.model, session.evaluator, session.shown.look
    if model is None or evaluator is None or not evaluator.can_pick:
        return []
    ray = camera.ray(*share, aspect, 4 * model.diagonal)
    inside = ray_in_box(*ray, look.section)
    if inside is None:
        return []
    origin, reach = inside
    hidden = look.mask(len(model.faces))
    found: list[int] = []
    while len(found) < depth:
        hit = evaluator.projector.pick_point(origin, ray[1], hidden)
        if hit is None or float((hit[1] - inside[0]) @ ray[1]) > reach:
            break
        found.append(hit[0])
        hidden[list(whole_surface(model, hit[0]))] = True
    return found


def point_under(session: Session, camera: Camera, share: tuple[float, float], aspect: float) -> np.ndarray:
    """Return the place (3,) mm on the part at a place of the view, or the middle of the part."""
    model, evaluator = session.model, session.evaluator
    middle = seen_middle(session)
    if model is None or evaluator is None or not evaluator.can_pick:
        return middle
    ray = camera.ray(*share, aspect, 4 * model.diagonal)
    hit = evaluator.projector.pick_point(*ray, session.shown.look.mask(len(model.faces)))
    return middle if hit is None else hit[1]
