"""A comparison as a page, HTML or PDF, and as a table."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from html import escape

from ubrant.core.wording import say, visible
from ubrant.report.figures import figures_of, svg_of
from ubrant.runs.studies.compare import Compared, differing, overlay, pair_of

_STYLE = (
    "@page{size:A4;margin:18mm}body{font-family:B612,sans-serif;color:#1F2A33;font-size:10pt}h1{font-size:17pt}h2{font-size:12pt}"
    "td,th{text-align:left;padding:1.2mm 5mm 1.2mm 0;border-bottom:.2mm solid #CFCABE;vertical-align:top}th{color:#5E666D;font-weight:normal}"
    ".odd{color:#8F5F08}svg{width:100%;height:auto}p.chief{font-size:12pt;font-weight:bold}"
)


def comparison_page(runs: Sequence[Compared], by: str) -> str:
    """A whole page: the sentences, the overlay, what differs, every difference with its ±."""

    def text(value: str) -> str:
        return escape(visible(value))

    pairs = [pair_of(runs[0], other) for other in runs[1:]]
    parts = [f"<h1>{text(say('Compared: {names}', names=', '.join(c.title for c in runs)))}</h1>"]
    parts += [f"<p class='chief'>{text(p.sentence)}</p>" + (f"<p>{text(p.settle)}</p>" if p.settle else "") for p in pairs]
    drawn = overlay(runs, by)
    if drawn is not None:
        parts += [svg_of(figure) for figure in figures_of((drawn,))]
    rows = differing(runs)
    head = "".join(f"<th>{text(c.title)}</th>" for c in runs)
    body = "".join(
        f"<tr><td>{text(r.name)}</td>"
        + "".join(f"<td class='{'odd' if odd else ''}'>{text(v)}{' ≠' if odd else ''}</td>" for v, odd in zip(r.values, r.odd, strict=True))
        + "</tr>"
        for r in rows
    )
    parts.append(f"<h2>{text(say('What differs'))}</h2><table><tr><th></th>{head}</tr>{body}</table>")
    for pair in pairs:
        parts.append(f"<h2>{text(say('{b} against {a}', a=pair.one.title, b=pair.other.title))}</h2><table>")
        for found in pair.differences.values():
            apart = {True: "", False: say("cannot be told apart"), None: say("no ±")}[found.apart]
            share = found.share.with_uncertainty() if found.share is not None else ""
            cells = (found.difference.name, found.difference.with_uncertainty(), share, apart, found.difference.working)
            parts.append("<tr>" + "".join(f"<td>{text(c)}</td>" for c in cells) + "</tr>")
        parts.append("</table>")
    title = text(say("Comparison"))
    return f"<!doctype html><html><head><meta charset='utf-8'><title>{title}</title><style>{_STYLE}</style></head><body>{''.join(parts)}</body></html>"


def comparison_csv(runs: Sequence[Compared]) -> str:
    """RFC 4180: a line a difference."""
    out = io.StringIO()
    write = csv.writer(out)
    write.writerow(["one", "other", "key", "unit", "difference", "expanded_uncertainty", "share / %", "told_apart"])
    for other in runs[1:]:
        pair = pair_of(runs[0], other)
        for key, found in pair.differences.items():
            d = found.difference
            share = "" if found.share is None else found.share.value
            write.writerow([pair.one.title, pair.other.title, key, d.unit, d.value, d.expanded_uncertainty, share, found.apart])
    return out.getvalue()
