"""A starter set of motifs from the harbour, drawn by this code, so that a layout never begins with nothing."""

from __future__ import annotations

from functools import cache
from math import cos, pi, sin

from orvix.registry import Registry
from orvix.tiles.motifs.svg import NAMESPACE, Svg, read_svg

WATER, KELP, ROPE, FLOAT, CLOTH, TAR = "#1b3f4b", "#5f7a3f", "#d29b42", "#c2553b", "#f2efe6", "#1c1e21"
STARTERS: Registry[str] = Registry("starter motif")
"""SVG by name."""
TITLES = {
    "kelp": "Kelp", "barnacle": "Barnacle", "float": "Cork float", "rope-ring": "Rope ring", "lantern": "Lantern",
    "flag": "Signal flag", "herring": "Herring", "shell": "Shell",
}  # fmt: skip


@cache
def starter_svg(name: str) -> Svg:
    """A starter motif, ready to be drawn; raises UnknownName."""
    return read_svg(STARTERS.get(name).encode(), name)


def _svg(width: int, height: int, body: str) -> str:
    size = f'width="{width}" height="{height}" viewBox="0 0 {width} {height}"'
    return f'<svg xmlns="{NAMESPACE}" {size}>{body}</svg>'


def _ring(
    count: int, middle: tuple[float, float], near: float, far: float, turn: float = 0.0
) -> list[tuple[float, ...]]:
    ways = [2 * pi * (n / count) + turn for n in range(count)]
    return [
        (middle[0] + near * sin(a), middle[1] - near * cos(a), middle[0] + far * sin(a), middle[1] - far * cos(a))
        for a in ways
    ]


def _kelp() -> str:
    leaves = []
    for n in range(7):
        y, side, out = 132 - 18 * n, (-1 if n % 2 else 1), 34 - 2.6 * n
        x = 46 + 4 * sin(n)
        leaves.append(
            f'<path fill="{KELP}" d="M{x:.1f} {y} q{side * out * 0.5:.1f} -22 {side * out:.1f} -16 '
            f'q{-side * out * 0.3:.1f} 18 {-side * out:.1f} 16 Z"/>'
        )
    stem = (
        f'<path fill="none" stroke="{WATER}" stroke-width="5" stroke-linecap="round" d="M46 154 C38 110 56 70 46 12"/>'
    )
    return _svg(92, 160, stem + "".join(leaves))


def _barnacle() -> str:
    plates = "".join(
        f'<path fill="{CLOTH}" stroke="{WATER}" stroke-width="3" stroke-linejoin="round" d="M{a[0]:.1f} {a[1]:.1f} '
        f'L{a[2]:.1f} {a[3]:.1f} A46 46 0 0 1 {b[2]:.1f} {b[3]:.1f} L{b[0]:.1f} {b[1]:.1f} Z"/>'
        for a, b in zip(_ring(6, (50, 50), 17, 46), _ring(6, (50, 50), 17, 46, pi / 3 - 0.12), strict=True)
    )
    return _svg(100, 100, plates + f'<circle cx="50" cy="50" r="14" fill="{TAR}"/>')


def _float() -> str:
    return _svg(
        70, 100,
        f'<rect x="8" y="14" width="54" height="72" rx="26" fill="{FLOAT}"/>'
        f'<rect x="8" y="42" width="54" height="16" fill="{CLOTH}"/><circle cx="35" cy="8" r="6" fill="none" '
        f'stroke="{TAR}" stroke-width="4"/>',
    )  # fmt: skip


def _rope_ring() -> str:
    strands = "".join(
        f'<path fill="{ROPE}" stroke="{TAR}" stroke-width="2" d="M{a[0]:.1f} {a[1]:.1f} Q{a[2]:.1f} {a[3]:.1f} '
        f'{b[2]:.1f} {b[3]:.1f} Q{b[0]:.1f} {b[1]:.1f} {a[0]:.1f} {a[1]:.1f} Z"/>'
        for a, b in zip(_ring(18, (55, 55), 34, 52), _ring(18, (55, 55), 34, 52, 0.48), strict=True)
    )
    return _svg(110, 110, strands)


def _lantern() -> str:
    return _svg(
        76, 120,
        f'<path fill="none" stroke="{TAR}" stroke-width="5" d="M24 22 C24 2 52 2 52 22"/>'
        f'<path fill="{TAR}" d="M18 22 h40 l6 14 h-52 Z"/><rect x="14" y="36" width="48" height="58" fill="{ROPE}"/>'
        f'<path fill="{CLOTH}" d="M38 46 q14 20 0 40 q-14 -20 0 -40 Z"/><rect x="8" y="94" width="60" height="16" '
        f'fill="{TAR}"/>',
    )  # fmt: skip


def _flag() -> str:
    return _svg(
        110, 90,
        f'<rect x="6" y="4" width="6" height="82" fill="{TAR}"/><path fill="{FLOAT}" d="M12 8 q24 -10 46 0 t46 0 v48 '
        f'q-22 10 -46 0 t-46 0 Z"/><path fill="{CLOTH}" d="M42 20 q8 -3 16 1 t16 1 v22 q-8 3 -16 -1 t-16 -1 Z"/>',
    )  # fmt: skip


def _herring() -> str:
    return _svg(
        150, 60,
        f'<path fill="{WATER}" d="M4 30 C30 -2 90 2 118 26 L146 6 Q138 30 146 54 L118 34 C90 58 30 62 4 30 Z"/>'
        f'<path fill="#8fa3a0" d="M10 33 C36 54 88 52 114 33 C86 42 40 44 10 33 Z"/><circle cx="26" cy="25" r="4.5" '
        f'fill="{CLOTH}"/>',
    )  # fmt: skip


def _shell() -> str:
    ribs = "".join(
        f'<path fill="{ROPE if n % 2 else CLOTH}" stroke="{TAR}" stroke-width="2" stroke-linejoin="round" '
        f'd="M50 92 L{50 + 46 * sin(a):.1f} {54 - 46 * cos(a):.1f} L{50 + 46 * sin(b):.1f} {54 - 46 * cos(b):.1f} Z"/>'
        for n, (a, b) in enumerate((-1.5 + 0.375 * k, -1.5 + 0.375 * (k + 1)) for k in range(8))
    )
    return _svg(100, 100, ribs)


for _name, _make in (
    ("kelp", _kelp), ("barnacle", _barnacle), ("float", _float), ("rope-ring", _rope_ring), ("lantern", _lantern),
    ("flag", _flag), ("herring", _herring), ("shell", _shell),
):  # fmt: skip
    STARTERS.add(_name, _make())
