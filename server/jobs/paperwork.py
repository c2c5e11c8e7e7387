"""The report on paper: what a rehearsal found, with what has come since — judgements, tolerance, release — as PDF."""

import base64
import functools
import gzip
from html import escape
from pathlib import Path
from typing import Literal

from django.conf import settings

from bluntmirror.export.page import table
from bluntmirror.export.report import with_more
from bluntmirror.export.tolerances import sentences

from . import releasing, tolerating
from .models import Rehearsal
from .services import Refused

Paper = Literal["A4", "letter"]
REPORT = "report.html"
FONTS = Path(settings.ROOT) / "web" / "node_modules" / "@fontsource"
FACES = (
    ("ibm-plex-sans", "IBM Plex Sans", 400),
    ("ibm-plex-sans", "IBM Plex Sans", 600),
    ("ibm-plex-mono", "IBM Plex Mono", 400),
)


def report(rehearsal: Rehearsal, paper: Paper = "A4") -> bytes:
    """The whole report as PDF. Raises Refused where the rehearsal is not done."""
    from weasyprint import HTML  # only where paper is asked for
    from weasyprint.urls import URLFetcher

    stored = rehearsal.artifacts.filter(name=REPORT).first()
    if rehearsal.state != Rehearsal.State.DONE or stored is None:
        raise Refused("only a rehearsal that is done has a report")
    with stored.file.open("rb") as source:
        html = gzip.decompress(source.read()).decode()
    whole = with_more(html, [_judged(rehearsal), _tolerance(rehearsal), _released(rehearsal)])
    whole = whole.replace("</head>", f"<style>{_faces()}{_page(rehearsal, paper)}</style></head>", 1)
    made: bytes = HTML(
        string=whole, url_fetcher=URLFetcher(allowed_protocols={"data"})
    ).write_pdf()  # all of it is in the page
    return made


@functools.cache
def _faces() -> str:
    """The fonts that ship with us, in the page itself."""
    made = []
    for folder, family, weight in FACES:
        for script in ("latin", "latin-ext", "greek", "cyrillic"):
            file = FONTS / folder / "files" / f"{folder}-{script}-{weight}-normal.woff2"
            if file.exists():
                data = base64.b64encode(file.read_bytes()).decode()
                made.append(
                    f'@font-face {{ font-family: "{family}"; font-weight: {weight}; src: url(data:font/woff2;base64,{data}); }}'
                )
    return "".join(made)


def _page(rehearsal: Rehearsal, paper: Paper) -> str:
    """Sides and feet of every page: the job's revision, its digest and the number of the page."""
    revision = rehearsal.revision
    foot = f"{revision.job.name} · revision {revision.number} · rehearsal {rehearsal.pk} · {revision.digest[:16]}"
    said = foot.replace("\\", "").replace('"', "'").replace("\n", " ")
    return (
        f"@page {{ size: {paper}; margin: 15mm 13mm 18mm; @bottom-left {{ content: \"{said}\"; font: 8pt 'IBM Plex Sans', sans-serif; color: #5d6a70; }}"
        "@bottom-right { content: counter(page) ' of ' counter(pages); font: 8pt 'IBM Plex Sans', sans-serif; color: #5d6a70; white-space: nowrap; } }"
        "body { margin: 0; max-width: none; font-size: 9.5pt; } h2 { break-after: avoid; }"
    )


def _judged(rehearsal: Rehearsal) -> str:
    """What people have judged of the findings since, each with its reason."""
    causes = {item.cause: item for item in rehearsal.findings.all()}
    rows = [
        [escape(causes[row.cause].data["kind"]), escape(row.judgement), escape(row.reason or "—"), escape(row.by.get_username()), f"{row.at:%d %B %Y}"]
        for row in rehearsal.revision.job.triage.select_related("by")
        if row.cause in causes
    ]  # fmt: skip
    return "<h2>Judged</h2>" + table(["finding", "", "reason", "by", "on"], rows) if rows else ""


def _tolerance(rehearsal: Rehearsal) -> str:
    told = tolerating.shown(rehearsal)["result"]
    if not told:
        return ""
    lines = sentences(told)
    rows = []
    for line in lines:
        name, _, rest = line.partition(": ")
        if "and more, +" in rest and rest.count("and more") == 2:
            continue  # those that nothing happens to are told together
        rows.append([escape(name), escape(rest)])
    free = [line.partition(": ")[0] for line in lines if line.count("and more") == 2]
    more = f"<p>Nothing up to {told['reach']:g} mm either way: {escape(', '.join(free))}.</p>" if free else ""
    more += "".join(f'<p class="quiet">Not asked: {escape(what)}.</p>' for what in told["not_checked"])
    return f"<h2>How wrong the set-up may be, asked up to {told['reach']:g} mm</h2>{table(['', 'until'], rows) if rows else ''}{more}"


def _released(rehearsal: Rehearsal) -> str:
    row = rehearsal.releases.select_related("by", "withdrawn_by").first()
    if row is None:
        return "<h2>Release</h2><p>Not released.</p>"
    why = releasing.lapsed(row)
    state = f"does not stand any more: {why}" if why else "stands"
    rows = [[escape(row.by.get_username()), f"{row.at:%d %B %Y, %H:%M} UTC", escape(row.note or "—"), escape(state)]]
    accepted = [
        [escape(str(item.get("kind", ""))), escape(str(item.get("reason", ""))), escape(str(item.get("by", "")))]
        for item in row.accepted
    ]
    return (
        "<h2>Release</h2>"
        + table(["signed by", "on", "remark", ""], rows)
        + (table(["accepted", "reason", "by"], accepted) if accepted else "")
    )
