"""An edition of the demo scorecard: frozen with the workings of all its readings, kept, and printed by a warm printer."""

from __future__ import annotations

import time
from contextlib import ExitStack

from bench.measure import side_by_side
from bench.own_database import own_database
from ironmark.demo import load
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.publishing.editions import Frozen, freeze
from ironmark.pages.reading.read import read_page
from ironmark.publish.export_page import ExportPage
from ironmark.publish.page import Form, job
from ironmark.publish.printer import Printer

BULK = 50


def main() -> None:
    with own_database() as engine, ExitStack() as at_end:
        printer = Printer()
        at_end.callback(printer.end)
        load.load_if_empty(engine)
        sources = Sources(engine)

        def read() -> object:
            with sources.readings() as session:
                context = ReadingContext(sources, session)
                body = context.scorecard("network-performance")
                return read_page(context, body, body.scope)

        def frozen() -> bytes:
            with sources.readings() as session:
                context = ReadingContext(sources, session)
                body = context.scorecard("network-performance")
                return freeze(context, body, body.scope).to_bytes()

        timings = side_by_side({"read": read, "freeze": frozen}, runs=40, warm_up=3)
        one, other = timings["freeze"], timings["read"]
        print("\nAn edition of the demo scorecard, with the workings of its readings")
        print(
            f"  frozen in {one.median * 1000:.0f} ms, p95 {one.p95 * 1000:.0f} ms (budget: 300 ms) "
            f"{'kept' if one.p95 < 0.3 else 'MISSED'}; {one.median / other.median:.1f}× reading its page; "
            f"{len(frozen()) / 1000:.0f} kB"
        )
        began = time.perf_counter()
        for _ in range(BULK):
            frozen()
        took = time.perf_counter() - began
        print(
            f"  {BULK} of them, one after the other, in {took:.1f} s (budget: 2 s) {'kept' if took < 2 else 'MISSED'}"
        )
        page = job(ExportPage(Frozen.from_bytes(frozen())), {}, Form("paper"))
        printed = side_by_side({"pdf": lambda: printer.pdf(page, lambda: False)}, runs=10, warm_up=2)["pdf"]
        print(
            f"  its PDF in {printed.median:.2f} s, p95 {printed.p95:.2f} s by a warm printer (budget: 3 s) "
            f"{'kept' if printed.p95 < 3 else 'MISSED'}"
        )
