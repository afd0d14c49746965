"""A device turned in space: rotation, central projection, and the homography of its front. Pure arithmetic.

The picture's plane is z = 0, y runs down, z away from the eye. A point of the device at (x, y, z) from its middle is
rotated (yaw, then pitch, then roll) and projected from an eye at the distance d: (x, y) * d / (d + z) (central
projection; for z = 0 of the device this is a homography, see Hartley & Zisserman, "Multiple View Geometry", ch. 2).
"""

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from tavolan.pictures.design.look import Pose

Points = NDArray[np.float64]


@dataclass(frozen=True)
class Placing:
    """Where a device stands: `middle` of its body in its own pixels, and where that comes to lie in the picture.

    Without a pose both are the same pixels. `reach` is the body's longer side in pixels.
    """

    middle: tuple[float, float]
    at: tuple[float, float]
    reach: float
    pose: Pose | None = None

    @property
    def flat(self) -> bool:
        """Whether the device is at most turned within the picture's plane."""
        return self.pose is None or not (self.pose.yaw or self.pose.pitch)

    @cached_property
    def _rotation(self) -> Points:
        pose = self.pose or Pose()
        yaw, pitch, roll = (math.radians(angle) for angle in (pose.yaw, pose.pitch, pose.roll))
        around_y = np.array([[math.cos(yaw), 0, -math.sin(yaw)], [0, 1, 0], [math.sin(yaw), 0, math.cos(yaw)]])
        around_x = np.array([[1, 0, 0], [0, math.cos(pitch), math.sin(pitch)], [0, -math.sin(pitch), math.cos(pitch)]])
        around_z = np.array([[math.cos(roll), -math.sin(roll), 0], [math.sin(roll), math.cos(roll), 0], [0, 0, 1]])
        turned: Points = around_z @ around_x @ around_y
        return turned

    @property
    def _eye(self) -> float:
        return (self.pose.distance if self.pose else 1e9) * self.reach

    def in_space(self, points: Points, depth: Points) -> Points:
        """Return points of the device (shape (n, 2), own pixels) at depths behind its front, rotated, as (n, 3)."""
        solid = np.column_stack([points - np.array(self.middle), depth])
        turned: Points = solid @ self._rotation.T
        return turned

    def onto(self, solid: Points) -> Points:
        """Project points in space (n, 3) onto the picture, as (n, 2) in pixels."""
        flat: Points = solid[:, :2] * (self._eye / (self._eye + solid[:, 2:])) + np.array(self.at)
        return flat

    def project(self, points: Points, depth: Points) -> Points:
        """Return where points of the device at depths behind its front come to lie in the picture."""
        projected: Points = self.onto(self.in_space(points, depth))
        return projected

    def cast(self, points: Points, depth: Points, plane: float, shift: tuple[float, float]) -> Points:
        """Return where the shadow of points falls on a plane at a depth in the picture's space.

        Light falls along `shift`, the offset in pixels of a shadow whose point is one body's length before the plane.
        """
        solid = self.in_space(points, depth)
        along = np.maximum(plane - solid[:, 2:], 0) / max(self.reach, 1)
        fallen = np.column_stack([solid[:, :2] + along * np.array(shift), np.full(len(solid), plane)])
        return self.onto(fallen)

    def turned_normals(self, normals: Points) -> Points:
        """Return outward normals of the body's edge (n, 2) after rotation, seen from the front (n, 2)."""
        solid = np.column_stack([normals, np.zeros(len(normals))])
        turned: Points = (solid @ self._rotation.T)[:, :2]
        return turned

    @cached_property
    def matrix(self) -> Points | None:
        """The homography (3 x 3) from the device's own pixels to the picture's; None when they're the same."""
        if self.pose is None:
            return None
        turn, eye = self._rotation, self._eye
        (x, y), (left, top) = self.at, self.middle
        front = np.array(
            [
                [eye * turn[0, 0] + x * turn[2, 0], eye * turn[0, 1] + x * turn[2, 1], x * eye],
                [eye * turn[1, 0] + y * turn[2, 0], eye * turn[1, 1] + y * turn[2, 1], y * eye],
                [turn[2, 0], turn[2, 1], eye],
            ]
        )
        centred = np.array([[1, 0, -left], [0, 1, -top], [0, 0, 1.0]])
        matrix: Points = front @ centred / eye
        return matrix


def rounded_points(box: tuple[float, float, float, float], radius: float, count: int = 12) -> Points:
    """Return points along a rounded rectangle (x, y, width, height in pixels), `count` per corner."""
    x, y, width, height = box
    radius = min(radius, width / 2, height / 2)
    angles = np.linspace(0, math.pi / 2, count)
    corners = [
        (x + width - radius, y + height - radius, 0.0),
        (x + radius, y + height - radius, 0.5),
        (x + radius, y + radius, 1.0),
        (x + width - radius, y + radius, 1.5),
    ]
    parts = [
        np.column_stack([cx + radius * np.cos(angles + turn * math.pi), cy + radius * np.sin(angles + turn * math.pi)])
        for cx, cy, turn in corners
    ]
    return np.concatenate(parts)


def hull(points: Points) -> Points:
    """Return the corners of the convex hull of points (shape (n, 2)), in order around it.

    Andrew's monotone chain (1979). Importing SciPy's, which is as good, takes as long as painting five pictures.
    """
    ordered = sorted(set(map(tuple, points.tolist())))
    if len(ordered) < 3:
        return np.array(ordered)

    def chain(row: list[tuple[float, ...]]) -> list[tuple[float, ...]]:
        found: list[tuple[float, ...]] = []
        for x, y in row:
            while len(found) > 1:
                (ax, ay), (bx, by) = found[-2:]
                if (bx - ax) * (y - ay) - (by - ay) * (x - ax) > 0:
                    break
                found.pop()
            found.append((x, y))
        return found[:-1]

    return np.array(chain(ordered) + chain(ordered[::-1]))
