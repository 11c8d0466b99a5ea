"""Turns the land outlines of the npm package world-atlas (TopoJSON) into rings of longitude and latitude.

Run by scripts/styles.sh; the result is committed.
"""

import json
import sys
from pathlib import Path

LEAST_POINTS = 8


def rings(topology: dict) -> list[list[list[float]]]:
    """Decode every ring; islands of a few points are left out."""
    scale, shift = topology["transform"]["scale"], topology["transform"]["translate"]
    arcs = []
    for arc in topology["arcs"]:
        x = y = 0
        points = []
        for dx, dy in arc:
            x, y = x + dx, y + dy
            points.append([round(x * scale[0] + shift[0], 2), round(y * scale[1] + shift[1], 2)])
        arcs.append(points)
    found = []
    for geometry in topology["objects"]["land"]["geometries"]:
        shapes = geometry["arcs"] if geometry["type"] == "MultiPolygon" else [geometry["arcs"]]
        for shape in shapes:
            for ring in shape:
                points = []
                for index in ring:
                    part = arcs[index] if index >= 0 else arcs[~index][::-1]
                    points += part[1:] if points else part
                if len(points) >= LEAST_POINTS:
                    found.append(points)
    return found


if __name__ == "__main__":
    source, target = Path(sys.argv[1]), Path(sys.argv[2])
    target.write_text(json.dumps(rings(json.loads(source.read_text())), separators=(",", ":")))
