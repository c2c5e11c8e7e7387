"""What every page on paper is made of: its style, marks, times and tables, as HTML."""

from __future__ import annotations

from html import escape

STYLE = """
body { font: 10.5pt/1.45 "IBM Plex Sans", "DejaVu Sans", sans-serif; color: #1d2a30; max-width: 190mm; margin: 10mm auto; }
h1 { font-size: 17pt; margin: 0; } h2 { font-size: 12pt; margin: 7mm 0 2mm; border-bottom: 0.3mm solid #d9d4c7; }
h3 { font-size: 10.5pt; font-weight: 600; margin: 3mm 0 1mm; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
th { text-align: left; font-weight: 400; color: #5d6a70; padding: 0.6mm 3mm 0.6mm 0; vertical-align: top; }
td { padding: 0.6mm 3mm 0.6mm 0; vertical-align: top; } .n { text-align: right !important; white-space: nowrap; width: 1%; }
tr { break-inside: avoid; } .quiet { color: #5d6a70; } .remedy { color: #1f5a73; }
.word { font-size: 14pt; font-weight: 600; margin: 3mm 0; } .stop { color: #a3195b; } .caution { color: #8a5200; }
.clear { color: #1b6e5a; } .kind { white-space: nowrap; }
.bar { display: inline-block; position: relative; width: 46mm; height: 2.2mm; background: #e9e4d6; overflow: hidden; }
.bar i { position: absolute; top: 0; bottom: 0; background: #1f5a73; } .bar i.over { background: #a3195b; }
svg { vertical-align: -0.2mm; }
.pictures { margin: 3mm 0; } figure { display: inline-block; vertical-align: top; margin: 0 2.4mm 2mm 0; width: 88mm; break-inside: avoid; }
tr:first-child { break-after: avoid; }
figure img { width: 100%; border: 0.2mm solid #d9d4c7; display: block; } figcaption { font-size: 8.5pt; color: #5d6a70; margin-top: 0.6mm; }
.tools figure { width: 27mm; } .tools svg { display: block; margin: 0 auto; }
"""
MARKS = {  # by shape as well as by colour
    "stop": '<rect x="1" y="1" width="10" height="10" fill="#a3195b"/><path d="M3 6h6" stroke="#fff" stroke-width="2"/>',
    "caution": '<path d="M6 1l5 5-5 5-5-5z" fill="none" stroke="#b06a00" stroke-width="1.6"/>',
    "clear": '<circle cx="6" cy="6" r="4" fill="none" stroke="#1b6e5a" stroke-width="2"/>',
}


def mark(severity: str) -> str:
    return f'<svg width="12" height="12" viewBox="0 0 12 12" role="img" aria-label="{severity}">{MARKS[severity]}</svg>'


def clock(seconds: float) -> str:
    tenths = round(10 * max(0.0, seconds))  # rounded first, so that no minute has sixty seconds
    return f"{tenths // 600}:{tenths % 600 / 10:04.1f}"


def table(heads: list[str], rows: list[list[str]], numbers: frozenset[int] = frozenset()) -> str:
    """Cells are HTML already; columns in `numbers` are set to the right."""
    head = "".join(
        f'<th class="n">{escape(h)}</th>' if i in numbers else f"<th>{escape(h)}</th>" for i, h in enumerate(heads)
    )
    lines = []
    for cells in rows:
        lines.append(
            "".join(f'<td class="n">{c}</td>' if i in numbers else f"<td>{c}</td>" for i, c in enumerate(cells))
        )
    return f"<table><tr>{head}</tr>{''.join(f'<tr>{line}</tr>' for line in lines)}</table>"
