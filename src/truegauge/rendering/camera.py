"""The eye: an orthographic camera as plain numbers, so that views can be stored, tested and turned without VTK."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import box_corners
from truegauge.core.frames import apply, rotation_about

Vector = NDArray[np.float64]

STANDARD_VIEWS: dict[str, tuple[tuple[float, float, float], tuple[float, float, float]]] = {
    # name: (direction from the part to the eye, up)
    "corner": ((0.62, -0.90, 0.62), (0, 0, 1)),
    "top": ((0, 0, 1), (0, 1, 0)),
    "bottom": ((0, 0, -1), (0, 1, 0)),
    "front": ((0, -1, 0), (0, 0, 1)),
    "back": ((0, 1, 0), (0, 0, 1)),
    "left": ((-1, 0, 0), (0, 0, 1)),
    "right": ((1, 0, 0), (0, 0, 1)),
}


@dataclass(frozen=True, slots=True, eq=False)
class Camera:
    """`target` in the middle of the picture, `back` (unit) from it to the eye, `up` (unit), `height` mm shown."""

    target: Vector
    back: Vector
    up: Vector
    height: float

    @property
    def right(self) -> Vector:
        """The unit vector to the right in the picture."""
        return np.asarray(np.cross(self.up, self.back))

    def fitted(self, box: NDArray[np.float64], aspect: float, margin: float = 1.06) -> "Camera":
        """Show the whole box (2, 3) in a picture of this width over height."""
        corners = box_corners(box)
        across, along = corners @ self.right, corners @ self.up
        middle = box.mean(axis=0)
        shift = ((across.max() + across.min()) / 2 - middle @ self.right) * self.right
        shift = shift + ((along.max() + along.min()) / 2 - middle @ self.up) * self.up
        height = max(float(np.ptp(along)), float(np.ptp(across)) / max(aspect, 1e-6)) * margin
        return replace(self, target=middle + shift, height=max(height, 1e-6))

    def orbited(self, dx: float, dy: float, pivot: Vector) -> "Camera":
        """Turn about a pivot: `dx`, `dy` are shares of the picture; half a picture is 90 degrees."""
        turn = rotation_about(self.up, -np.pi * dx) @ rotation_about(self.right, np.pi * dy)
        back = turn[:3, :3] @ self.back
        up = turn[:3, :3] @ self.up
        up = up - (up @ back) * back
        target = pivot + apply(turn, (self.target - pivot)[None])[0]
        return replace(self, target=target, back=back / np.linalg.norm(back), up=up / np.linalg.norm(up))

    def facing(self, direction: Vector, most: float = np.radians(50.0)) -> "Camera":
        """Turn as little as is needed so that what points in a direction (3,) is seen at most so far from the side."""
        wanted = direction / np.linalg.norm(direction)
        angle = float(np.arccos(np.clip(self.back @ wanted, -1, 1)))
        if angle <= most:
            return self
        axis = np.cross(self.back, wanted)
        if np.linalg.norm(axis) < 1e-6:
            axis = self.up
        turn = rotation_about(axis / np.linalg.norm(axis), angle - most)[:3, :3]
        back, up = turn @ self.back, turn @ self.up
        up = up - (up @ back) * back
        return replace(self, back=back / np.linalg.norm(back), up=up / np.linalg.norm(up))

    def panned(self, dx: float, dy: float, aspect: float) -> "Camera":
        """Shift by shares of the picture; the part follows the pointer."""
        shift = -dx * self.height * aspect * self.right + dy * self.height * self.up
        return replace(self, target=self.target + shift)

    def zoomed(self, factor: float, x: float, y: float, aspect: float) -> "Camera":
        """Magnify by `factor`, keeping the place under the pointer (shares of the picture, y down) where it is."""
        height = min(max(self.height / factor, 1e-4), 1e6)
        grow = self.height - height
        shift = (x - 0.5) * grow * aspect * self.right + (0.5 - y) * grow * self.up
        return replace(self, target=self.target + shift, height=height)

    def ray(self, x: float, y: float, aspect: float, distance: float) -> tuple[Vector, Vector]:
        """Return origin and direction of the line of sight through a place (shares of the picture, y down)."""
        at = self.target + (x - 0.5) * self.height * aspect * self.right + (0.5 - y) * self.height * self.up
        return at + distance * self.back, -self.back

    def project(self, points: NDArray[np.float64], aspect: float) -> NDArray[np.float64]:
        """Return (n, 3): x and y as shares of the picture (y down), and the depth towards the eye in mm."""
        local = np.atleast_2d(points) - self.target
        x = local @ self.right / (self.height * aspect) + 0.5
        y = 0.5 - local @ self.up / self.height
        return np.column_stack([x, y, local @ self.back])


def standard_camera(name: str, box: NDArray[np.float64], aspect: float) -> Camera:
    """Return a standard view that shows the whole box."""
    direction, up = STANDARD_VIEWS[name]
    back = np.array(direction, dtype=float)
    back /= np.linalg.norm(back)
    upward = np.array(up, dtype=float)
    upward -= (upward @ back) * back
    upward /= np.linalg.norm(upward)
    return Camera(box.mean(axis=0), back, upward, 1.0).fitted(box, aspect)


def ray_in_box(origin: Vector, direction: Vector, box: NDArray[np.float64] | None) -> tuple[Vector, float] | None:
    """Return where a ray enters a box (2, 3) and how far it stays inside, mm; None when it misses the box.

    Without a box the ray is as it was, without end.
    """
    if box is None:
        return origin, np.inf
    with np.errstate(divide="ignore", invalid="ignore"):
        ends = (box - origin) / direction
    near = np.where(np.isnan(ends), -np.inf, ends).min(axis=0)
    far = np.where(np.isnan(ends), np.inf, ends).max(axis=0)
    outside = (direction == 0) & ((origin < box[0]) | (origin > box[1]))
    start, end = max(0.0, float(near.max())), float(far.min())
    if outside.any() or end <= start:
        return None
    return origin + start * direction, end - start
