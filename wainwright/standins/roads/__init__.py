"""Road distances: a small shipped network of towns; elsewhere the great circle with a factor, marked as an estimate."""

from __future__ import annotations

import csv
from decimal import Decimal
from functools import cache
from pathlib import Path

import networkx

from wainwright.core.geometry import great_circle_km
from wainwright.core.journey import Place
from wainwright.formats.gazetteer import folded
from wainwright.ports.roads import Distance

WINDING = 1.3


@cache
def _network() -> networkx.Graph:
    graph = networkx.Graph()
    with Path(__file__).with_name("network.csv").open(encoding="utf-8") as file:
        for row in csv.DictReader(file):
            graph.add_edge(folded(row["from"]), folded(row["to"]), km=int(row["km"]))
    return graph


class Standin:
    """The roads stand-in."""

    def between(self, origin: Place, target: Place) -> Distance:
        """Return the shortest way through the network, or an estimate."""
        graph, one, other = _network(), folded(origin.town), folded(target.town)
        if one in graph and other in graph and networkx.has_path(graph, one, other):
            km, path = networkx.single_source_dijkstra(graph, one, other, weight="km")
            return Distance(Decimal(km), tuple(path[1:-1]), False)
        return Distance(Decimal(round(great_circle_km(origin, target) * WINDING)), (), True)
