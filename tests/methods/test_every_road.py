"""Whatever a method finds, it finds again: from a Data Package, from a CSV file, from jot text, in the window and on the command line."""

from __future__ import annotations

import json

import numpy as np
import pytest

from tests.command_line import ubrant
from tests.making import by_hand, carried_out
from tests.methods.samples import BY_HAND, ON_BENCH, SAMPLES
from ubrant.core.account import Account, account_to_json
from ubrant.core.record.head import LOG
from ubrant.logbook.exporting import export_csv, export_package
from ubrant.logbook.logbook import Logbook
from ubrant.methods.registry import entries
from ubrant.runs.coming_in.bringing_in import LogOptions, keep, read_file, unit_for
from ubrant.runs.kept.accounts import account_of, account_of_stored, live_account, other_runs
from ubrant.runs.typed.jot_heads import export_jots

WAVES = [e.key for e in entries() if e.method.log == "wave"]


@pytest.fixture(scope="module")
def book(tmp_path_factory):
    made = Logbook(tmp_path_factory.mktemp("roads") / "roads.ubrant")
    yield made
    made.close()


class Runs:
    """Each run once, when it is first asked for: by method and road, with its account."""

    def __init__(self, book):
        self.book, self.made = book, {}

    def __getitem__(self, key):
        if key not in self.made:
            self.made[key] = {"bench": self.on_bench, "by hand": self.typed, LOG: self.of_log}[key[1]](key[0])
        return self.made[key]

    def on_bench(self, method):
        _, account, run = carried_out(self.book, method, SAMPLES[method].prepared(method))
        return run, account

    def typed(self, method):
        run, session = by_hand(self.book, method, SAMPLES[method].prepared(method, by_hand=True), SAMPLES[method].lines)
        kept = account_of(self.book, self.book.run(run.id))[1]
        assert not kept.trouble
        as_kept(live_account(run, session, others=other_runs(self.book, self.book.run(run.id))), kept)
        return self.book.run(run.id), kept

    def of_log(self, method):
        path = self.book.path.with_name("wave.csv")
        time = np.arange(1600) * 5e-5
        path.write_text("Time (s),Voltage (V)\n" + "\n".join(f"{t:.7f},{325 * np.sin(2 * np.pi * 50 * t):.4f}" for t in time))
        run = keep(self.book, read_file(path, LogOptions(method, accuracies=("3 % + 0.1 V", "", "", ""), load_w=65.0)), None)
        return run, account_of(self.book, run)[1]


@pytest.fixture(scope="module")
def runs(book):
    return Runs(book)


def same(one: Account, other: Account, rel: float) -> None:
    assert list(one.findings) == list(other.findings)
    for key, finding in one.findings.items():
        again = other.findings[key]
        for found, was in ((again.value, finding.value), (again.expanded_uncertainty, finding.expanded_uncertainty)):
            assert (
                found == was if was is None or found is None or isinstance(was, str) else found == pytest.approx(was, rel=rel, abs=1e-15)
            ), key
        assert (again.unit, again.name) == (finding.unit, finding.name)


def as_kept(live: Account, kept: Account) -> None:
    """What was said while it went on, its end and state set alike, is what is said of it ever after."""
    same(live, kept, 1e-12)
    for said in ("verdict", "sentence", "warnings", "settle", "short", "questions"):
        assert getattr(live, said) == getattr(kept, said), said


def alike(one: Account, other: Account) -> None:
    same(one, other, 1e-9)
    assert (one.sentence, one.verdict, one.ended_by, one.answers, one.taken) == (
        other.sentence,
        other.verdict,
        other.ended_by,
        other.answers,
        other.taken,
    )
    assert (one.warnings, one.gaps, len(one.waves)) == (other.warnings, other.gaps, len(other.waves))
    assert [type(d) for d in one.drawings()] == [type(d) for d in other.drawings()]
    assert one.path() == other.path()


@pytest.mark.parametrize(
    "key", [*((k, "bench") for k in ON_BENCH), *((k, "by hand") for k in BY_HAND), *((k, LOG) for k in WAVES)], ids="-".join
)
def test_brought_in_again_it_says_the_same(book, runs, tmp_path, key):
    run, account = runs[key]
    kept = book.kept(run)
    alone = account_of_stored(kept.record())
    package, table, text = (tmp_path / name for name in ("run", "run.csv", "run.jot"))
    export_package(kept, package, "a name")
    export_csv(kept, table)
    lost = export_jots(kept, text, run.head.setup.unit.name)
    assert lost == "" if key[1] == "by hand" else "what instruments read" in lost
    for target in (package, table, *((text,) if not lost else ())):
        again = read_file(target, LogOptions())
        alike(alone, account_of_stored(again.record()))
        said = json.loads(ubrant("analyse", str(target), "--json").stdout)
        assert said["schema"] == 1
        assert said["findings"] == json.loads(json.dumps(account_to_json(alone)["findings"]))
        assert said["sentence"] == alone.sentence
        alike(account, account_of(book, keep(book, again, unit_for(book, again)))[1])
    if key[1] == "bench":
        heads, first = table.read_text("utf-8").splitlines()[:2]
        assert heads.endswith(",event")
        assert f'""method"": ""{key[0]}""' in first


@pytest.mark.parametrize("key", [k if k != "steps" else pytest.param(k, marks=pytest.mark.slow) for k in ON_BENCH])
def test_going_on_and_over_say_the_same(tmp_path, key):
    """What a stage showed of a run at its end is what is found afterwards."""
    from tests.making import on_shelf
    from ubrant.methods.registry import method_of
    from ubrant.runs.making.begin import start_by_itself
    from ubrant.runs.making.benches import BenchChoice

    book = Logbook(tmp_path / "live.ubrant")
    run, session = start_by_itself(book, method_of(key), on_shelf(book, SAMPLES[key].prepared(key)), BenchChoice(unattended=True))
    session.start()
    session.join(60)
    final = account_of_stored(book.kept(book.run(run.id)).record())
    same(live_account(run, session), final, 1e-12)
    book.close()
