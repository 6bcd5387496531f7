"""What a sample is put together from. Each contribution has a key of its content: equal keys mean equal content."""

from __future__ import annotations

import hashlib
from collections.abc import Hashable
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import frozen
from truegauge.core.frames import apply
from truegauge.core.hashed import Hashed

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Normals, Points, Rigid
    from truegauge.core.clouds.raw import Colors
    from truegauge.core.samples.document import PictureFile, ProbedTouch, ScanFile, Touch


@dataclass(frozen=True, slots=True, eq=False)
class ScanPoints:
    """One scan: raw points (n, 3) mm in the coordinates of the sample, with normals and colours where it has them.

    `notes` tell what reading left out or moved.
    """

    key: str
    file: ScanFile
    points: Points
    normals: Normals | None = None
    colors: Colors | None = None
    notes: tuple[str, ...] = ()

    def placed(self, first_from_this: Rigid, placed_by: str) -> ScanPoints:
        """Return it in other coordinates: of a part that was moved between two scans."""
        placement = tuple(first_from_this.ravel().tolist())
        turned = None
        if self.normals is not None:
            turned = frozen(np.ascontiguousarray(self.normals @ first_from_this[:3, :3].T, dtype=self.normals.dtype))
        code = hashlib.sha256(np.ascontiguousarray(first_from_this).tobytes()).hexdigest()[:12]
        return replace(
            self, key=f"{self.key}@{code}", file=self.file.replace(placement=placement, placed_by=placed_by),
            points=frozen(apply(first_from_this, self.points)), normals=turned,
        )  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class FeatureTouches:
    """The touches of one feature (by id; empty for those that nobody gave to one), and their `rows` in the sample."""

    feature: str
    touches: tuple[ProbedTouch, ...]
    rows: tuple[int, ...]
    key: Hashable = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "key", Hashed((self.feature, self.rows, self.touches)))


@dataclass(frozen=True, slots=True, eq=False)
class NamedTouches:
    """Measured points with names of targets, for alignments and for comparing points."""

    touches: tuple[Touch, ...]
    key: Hashable = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "key", Hashed(self.touches))


@dataclass(frozen=True, slots=True, eq=False)
class ShadowPicture:
    """A picture of a part's shadow: grey values (rows, columns), 0 dark, as the camera took it."""

    key: str
    file: PictureFile
    pixels: NDArray[np.uint8]

    @classmethod
    def of(cls, file: PictureFile, pixels: NDArray[np.uint8]) -> ShadowPicture:
        """Return a picture; it is not changed any more."""
        own = frozen(np.ascontiguousarray(pixels, dtype=np.uint8))
        seen = hashlib.blake2b(own.data, digest_size=32)
        seen.update(repr((own.shape, file.camera, file.lens)).encode())
        return cls(seen.hexdigest(), file, own)


Contribution = ScanPoints | FeatureTouches | NamedTouches | ShadowPicture


def by_feature(probed: tuple[ProbedTouch, ...], known: tuple[FeatureTouches, ...] = ()) -> tuple[FeatureTouches, ...]:
    """Return touches feature by feature, in the order of their first touch; what stayed is what it was in `known`.

    So a touch more costs nothing for the features that it does not belong to.
    """
    rows: dict[str, list[int]] = {}
    for k, touch in enumerate(probed):
        rows.setdefault(touch.feature, []).append(k)
    before = {c.feature: c for c in known}
    made = []
    for feature, own in rows.items():
        touches, there = tuple(probed[k] for k in own), before.get(feature)
        same = there is not None and there.rows == tuple(own) and all(map(_same, there.touches, touches))
        made.append(there if same and there is not None else FeatureTouches(feature, touches, tuple(own)))
    return tuple(made)


def _same(a: ProbedTouch, b: ProbedTouch) -> bool:
    return a is b or a == b
