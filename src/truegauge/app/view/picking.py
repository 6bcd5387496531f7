"""What is under a place of the view: faces from front to back, and the point of the part."""

import numpy as np

from truegauge.app.document.session import Session
from truegauge.core.cad.recognition import whole_surface
from truegauge.rendering.camera import Camera, ray_in_box


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
    assert model is not None
    middle = np.asarray(model.box.mean(axis=0))
    if evaluator is None or not evaluator.can_pick:
        return middle
    ray = camera.ray(*share, aspect, 4 * model.diagonal)
    hit = evaluator.projector.pick_point(*ray, session.shown.look.mask(len(model.faces)))
    return middle if hit is None else hit[1]
