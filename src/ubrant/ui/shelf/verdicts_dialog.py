"""Verdicts that were measured again, side by side."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from ubrant.core.quantities.quantity import plain
from ubrant.core.wording import say
from ubrant.logbook.logbook import Logbook
from ubrant.runs.afterwards.verdicts_again import Again, Judged, unit_and_method, verdicts_again
from ubrant.ui.widgets.table_dialog import ShownCell, TableDialog


class VerdictsDialog(TableDialog):
    """A row a pair, the newest first; then what a newer version of the sums judges otherwise."""

    def __init__(self, logbook: Logbook, parent: QWidget | None = None) -> None:
        super().__init__(self.tr("Verdicts measured again"), self.tr("Verdicts, the earlier and the later"), parent)
        found = verdicts_again(logbook)
        if not found.pairs and not found.by_sums:
            self.nothing(found.sentence())
            return
        self.sentence.say("plain", found.sentence())
        rows = [unit_and_method(pair) for pair in found.pairs] + [f"{one.unit}, {one.day}" for one in found.by_sums]
        cells = [self._of_pair(pair) for pair in found.pairs] + [self._of_sums(one) for one in found.by_sums]
        self.fill(rows, [self.tr("before"), self.tr("after"), self.tr("between"), self.tr("so")], cells)

    def _of_pair(self, pair: Again) -> list[ShownCell]:
        before, after = (ShownCell(f"{one.day}: {say(one.summary.verdict)}", one.summary.sentence) for one in (pair.before, pair.after))
        so = self.tr("it held") if pair.held else self.tr("another verdict")
        if pair.apart is not None:
            so += self.tr("; {times} × what both ± allow").format(times=plain(pair.apart, 2))
        return [before, after, ShownCell(self.tr("{days} days").format(days=plain(pair.days, 2))), ShownCell(so, is_bad=not pair.held)]

    def _of_sums(self, one: Judged) -> list[ShownCell]:
        was = ShownCell(self.tr("{word}, by older sums").format(word=say(one.summary.was)))
        return [
            was,
            ShownCell(say(one.summary.verdict), one.summary.sentence),
            ShownCell(""),
            ShownCell(self.tr("another verdict by newer sums"), is_bad=True),
        ]
