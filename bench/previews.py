"""The preview of a dragged cut: everything the strip shows, on the demo's readings, asked of the server over and over."""

from __future__ import annotations

from itertools import cycle

from bench.measure import side_by_side
from bench.own_database import own_database
from ironmark.api.access import Reader
from ironmark.api.yardsticks import strip
from ironmark.demo import load
from ironmark.pages.authoring.strips import StripAsk
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.model.yardstick import YardstickBody


def main() -> None:
    with own_database() as engine:
        load.load_if_empty(engine)
        who = Reader(Sources(engine))
        places = cycle([n / 1000 for n in range(860, 940)])

        def drag() -> object:
            cuts = [{"mark": "target", "offset": -0.07}, {"offset": next(places)}, {"mark": "target", "offset": 0.05}]
            body = YardstickBody.model_validate(
                {"name": "p", "bands": ["short", "near", "met", "beyond"], "cuts": cuts}
            )
            return strip(StripAsk(body=body, kpi="on-time", saved="punctuality", by="route"), who)

        timing = side_by_side({"strip": drag}, runs=300, warm_up=5)["strip"]
        p95 = timing.p95 * 1000
        print("\nThe preview of a dragged cut, in the server, six routes over 22 months")
        print(
            f"  median {timing.median * 1000:.1f} ms   p95 {p95:.1f} ms (budget: 30 ms) {'kept' if p95 < 30 else 'MISSED'}"
        )
