"""A chart of the invented sound: its ports and the routes between them, as an SVG."""

from __future__ import annotations

PORTS = {
    "Hollin": (118, 214), "Skarra": (250, 92), "Brae Holm": (322, 226), "Eddy Isle": (402, 52),
    "Tarn Point": (532, 262), "Lowsay": (468, 160),
}  # fmt: skip
LINES = (
    ("Hollin", "Skarra"), ("Hollin", "Brae Holm"), ("Skarra", "Eddy Isle"), ("Tarn Point", "Lowsay"),
    ("Lowsay", "Brae Holm"),
)  # fmt: skip
LAND = (
    "M0 150C60 150 92 176 112 214C96 262 70 292 0 306Z",
    "M214 60C246 44 286 62 282 96C262 118 222 112 208 92Z",
    "M296 214C318 200 356 210 354 236C338 258 300 254 292 236Z",
    "M384 34C404 22 432 36 426 58C410 72 386 66 380 50Z",
    "M448 142C472 128 498 146 492 172C474 188 448 178 444 160Z",
    "M640 220C580 220 540 238 532 262C544 300 606 312 640 316Z",
)
ALT = "A chart of Hollin Sound: six ports and the five routes between them"


def chart() -> bytes:
    land = "".join(f'<path d="{path}" fill="#E6E0D2" stroke="#C9C1AE"/>' for path in LAND)
    lines = []
    for one, other in LINES:
        (x, y), (to_x, to_y) = PORTS[one], PORTS[other]
        bend = f"{(x + to_x) / 2:.0f} {(y + to_y) / 2 - 22:.0f}"
        lines.append(f'<path d="M{x} {y}Q{bend} {to_x} {to_y}" fill="none" stroke="#5C6870" stroke-width="2"/>')
    ports = []
    for name, (x, y) in PORTS.items():
        ports.append(f'<circle cx="{x}" cy="{y}" r="5" fill="#1E282E"/>')
        ports.append(
            f'<text x="{x + 10}" y="{y - 8}" font-family="Archivo Variable, sans-serif" font-size="15" fill="#1E282E">'
            f"{name}</text>"
        )
    body = f'<rect width="640" height="330" fill="#DFE7EA"/>{land}{"".join(lines)}{"".join(ports)}'
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 640 330">{body}</svg>'.encode()
