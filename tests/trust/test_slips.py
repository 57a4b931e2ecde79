"""A slip of one typed reading, in every method: ten times, a tenth, two digits turned round. It is asked about or changes nothing; never a figure beside a fine ±."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

import pytest

from tests.command_line import ubrant
from tests.making import by_hand
from tests.methods.samples import SAMPLES
from tests.window import begin, click, close, prepare, say_line
from ubrant.core.account import Account
from ubrant.core.equipment.unit import Unit
from ubrant.core.gate.readings import READING_CHECKS, Takes, odd_readings, without
from ubrant.core.record.head import BY_HAND, Origin, RunHeader
from ubrant.core.record.record import Record, record_of
from ubrant.logbook.records import StoredJot, entries_of
from ubrant.methods.registry import entries, method_of
from ubrant.runs.kept.accounts import account_of, whole_account

_READ = re.compile(r'(?<![\w."])(-?\d+(?:\.\d+)?)(?= ?(?:mV|V|A|W|Ah|Wh|kWh|%)(?!\w))')
_STILL_SILENT = {
    "discharge": 1,
    "steps": 3,
    "appliance": 1,
    "external-supply": 2,
    "capacitor": 4,
    "ways": 2,
    "port": 4,
    "plug-day": 1,
    "handover": 1,
    "round-trip": 1,
}
"""Slips that nothing in the record speaks against: of one reading alone, with nothing asked for and nothing beside it."""
_APART = 1.2


def slipped(number: str) -> Iterator[str]:
    """A point one place further, or back; the first two digits that differ turned round."""
    sign, digits = ("-", number[1:]) if number.startswith("-") else ("", number)
    whole, point, rest = digits.partition(".")
    yield sign + (f"{whole}{rest[0]}.{rest[1:]}".rstrip(".") if point else f"{whole}0")
    yield f"{sign}{whole[:-1] or '0'}.{whole[-1]}{rest}"
    bare = digits.replace(".", "")
    turn = next((k for k in range(len(bare) - 1) if bare[k] != bare[k + 1]), None)
    if turn is not None:
        turned = bare[:turn] + bare[turn + 1] + bare[turn] + bare[turn + 2 :]
        yield sign + (f"{turned[: len(whole)]}.{turned[len(whole) :]}" if point else turned)


def typed(head: RunHeader, lines: dict[float, str]) -> Record:
    return record_of(head, {}, [], entries_of([StoredJot(t, line) for t, line in lines.items()]), "done", "a person")


def head_of(key: str) -> RunHeader:
    return method_of(key).head(SAMPLES[key].prepared(key, by_hand=True), Origin(BY_HAND))


def told(key: str, lines: dict[float, str], head: RunHeader | None = None) -> Account:
    return whole_account(method_of(key), typed(head or head_of(key), lines))


def each_slip(lines: dict[float, str]) -> Iterator[dict[float, str]]:
    for moment, line in lines.items():
        for found in _READ.finditer(line):
            for number in slipped(found[1]):
                if float(number) != float(found[1]):
                    yield {**lines, moment: f"{line[: found.start(1)]}{number}{line[found.end(1) :]}"}


def is_silently_wrong(before: Account, after: Account) -> bool:
    """Whether an answer moved by more than its ±, and nothing is said or asked of it."""
    if after.trouble or set(after.warnings) - set(before.warnings) or after.questions != before.questions:
        return False
    for key in before.answers:
        then, now = before.findings.get(key), after.findings.get(key)
        if then is None or now is None or not then.value or now.value is None or (now.bound and now.bound != then.bound):
            continue
        wide = max(then.expanded_uncertainty or 0.0, now.expanded_uncertainty or 0.0, 0.02 * abs(then.value))
        if abs(now.value - then.value) > _APART * wide:
            return True
    return False


@pytest.mark.parametrize("key", sorted(e.key for e in entries() if e.key in SAMPLES))
def test_a_slip_is_never_answered_with_a_fine_figure(key, share):
    """All with ``--all``, some two dozen of each otherwise."""
    head = head_of(key)
    before, slips = told(key, SAMPLES[key].lines, head), list(each_slip(SAMPLES[key].lines))
    step = 1 if share == 1.0 else max(1, len(slips) // 24)
    silent = [lines for lines in slips[::step] if is_silently_wrong(before, told(key, lines, head))]
    assert len(silent) <= _STILL_SILENT.get(key, 0), silent


@pytest.mark.parametrize("key", sorted(e.key for e in entries() if e.key in SAMPLES))
def test_of_what_is_sound_nothing_is_asked(key):
    record = typed(head_of(key), SAMPLES[key].lines)
    _, odd = method_of(key).sound(record)
    assert [one.sentence for one in odd] == []


# each row of the table: what it finds, what it lets be, and that the rest is worked out as if it had been skipped

_V, _A, _W = ("output", "V"), ("output", "A"), ("output", "W")


def found_in(takes: Takes, *lines: str) -> list[str]:
    record = typed(head_of("notes"), {60.0 * k: line for k, line in enumerate(lines)})
    return [f"{one.at[1]} {one.line}" for one in odd_readings(record, takes, {"": "output"})]


@pytest.mark.parametrize(
    ("takes", "lines", "odd"),
    [
        (Takes(steady=((_V,),)), ("5.0 V", "5.1 V", "7.7 V", "4.9 V"), ["V 2"]),
        (Takes(steady=((_V,),)), ("5.0 V", "5.1 V", "7.4 V", "4.9 V"), []),
        (Takes(steady=((_V,),)), ("5.0 V", "5.1 V", "3.2 V", "4.9 V"), ["V 2"]),
        (Takes(steady=((_V,),)), ("5.0 V", "5.1 V", "3.4 V", "4.9 V"), []),
        (Takes(steady=((_V,),)), ("5.0 V", "5.1 V", "0.05 V", "4.9 V"), []),  # it went off
        (Takes(steady=((_V,),)), ("5.0 V", "5.1 V", "5070 V", "4.9 V"), ["V 2"]),  # a thousand times: the others are not nothing
        (Takes(smooth=((_A, None),)), ("5.0 A", "5.0 A", "5000 A", "4.5 A"), ["A 2"]),
        (Takes(steady=((_V,),)), ("5.0 V", "9.0 V"), []),  # which of two nobody can know
        (Takes(steady=((_V,),)), ("5.0 V", "7.0 V", "9.0 V", "90 V"), []),  # they do not agree themselves
        (Takes(steady=((_V,), (_A,))), ("5.0 V 1.0 A", "5.0 V 10 A", "5.1 V 1.1 A"), ["A 1"]),
        (Takes(smooth=((_A, None),)), ("5.0 A", "5.0 A", "11.5 A", "4.5 A"), ["A 2"]),
        (Takes(smooth=((_A, None),)), ("5.0 A", "5.0 A", "10 A", "4.5 A"), []),
        (Takes(smooth=((_A, None),)), ("50 A", "5.0 A", "4.9 A"), ["A 0"]),
        (Takes(smooth=((_A, None),)), ("5.0 A", "5.0 A", "0.5 A"), []),  # the last may be where it ends
        (Takes(smooth=((_A, None),)), ("5.0 A", "50 A", "9.0 A"), []),  # its neighbours are apart
        (Takes(falling=((_V, None),)), ("5.4 V", "4.1 V", "4.6 V", "2.9 V"), ["V 2"]),  # further off a straight line
        (Takes(falling=((_V, None),)), ("5.4 V", "4.1 V", "9.5 V", "2.9 V"), ["V 2"]),
        (Takes(falling=((_V, None),)), ("5.4 V", "4.1 V", "4.2 V", "2.9 V"), []),
        (Takes(falling=((_V, _A),)), ("5.0 V 1.0 A", "6.0 V 0.1 A", "3.0 V 2.0 A", "5.5 V 0.5 A"), []),
        (Takes(falling=((_V, _A),)), ("5.0 V 1.0 A", "6.0 V 0.1 A", "3.0 V 2.0 A", "0.55 V 0.5 A"), ["V 3"]),
        (Takes(falling=((_V, _A),)), ("5.0 V 1.0 A", "0.6 V 0.1 A", "3.0 V 2.0 A", "5.5 V 0.5 A"), ["V 1"]),
        (Takes(most={_A: 5.0}), ("9.9 A", "10.1 A"), ["A 1"]),
        (Takes(spread=(_A,)), ("0.1 A", "31 A", "1.0 A"), ["A 1"]),
        (Takes(spread=(_A,)), ("0.1 A", "29 A", "1.0 A"), []),
        (Takes(label={_V: 10.0}), ("2.9 V", "3.1 V", "16.1 V", "9 V", "9.1 V"), ["V 0", "V 2"]),
        (Takes(label={_V: 10.0}), ("2.9 V", "2.9 V", "9 V"), []),  # most of them: another thing
    ],
)
def test_each_check_finds_what_cannot_well_be_and_nothing_else(takes, lines, odd):
    assert found_in(takes, *lines) == odd


@pytest.mark.parametrize(
    ("line", "wanted", "is_odd"),
    [
        ("18.1 V", {_V: 12.0}, True),
        ("17.9 V", {_V: 12.0}, False),
        ("7.9 V", {_V: 12.0}, True),
        ("0.40 A", {_A: 4.0}, True),
        ("40 A", {_A: 4.0}, True),
        ("0.50 A", {_A: 4.0}, True),
        ("0.55 A", {_A: 4.0}, False),  # another load than was planned, and no slip of one
        ("12 A", {_A: 4.0}, False),
        ("4000 W", {_W: 4.0}, True),
        ("0 A", {_A: 4.0}, False),
    ],
)
def test_what_was_asked_for_is_held_against_what_was_read(line, wanted, is_odd):
    record = typed(head_of("notes"), {0.0: line, 60.0: "12 V 4.0 A 4.0 W", 120.0: "12 V 4.0 A 4.0 W"})
    asked = {id(e.jotting): wanted for e in record.lines}
    assert bool(odd_readings(record, Takes(asked=asked), {"": "output"})) == is_odd


def test_where_most_is_other_than_was_asked_for_nothing_slipped():
    record = typed(head_of("notes"), {0.0: "40 A", 60.0: "42 A", 120.0: "4.0 A"})
    assert odd_readings(record, Takes(asked={id(e.jotting): {_A: 4.0} for e in record.lines}), {"": "output"}) == ()


def test_two_points_the_other_way_round_are_no_slips():
    record = typed(head_of("notes"), {0.0: "5.0 A", 60.0: "0.5 A", 120.0: "1.0 A", 180.0: "2.0 A"})
    wanted = dict(zip((id(e.jotting) for e in record.lines), (0.5, 5.0, 1.0, 2.0), strict=True))
    assert odd_readings(record, Takes(asked={key: {_A: amps} for key, amps in wanted.items()}), {"": "output"}) == ()
    slipped_one = typed(head_of("notes"), {0.0: "5.0 A", 60.0: "5.1 A", 120.0: "1.0 A", 180.0: "2.0 A"})
    asked = {id(e.jotting): {_A: amps} for e, amps in zip(slipped_one.lines, (0.5, 5.0, 1.0, 2.0), strict=True)}
    assert [one.line for one in odd_readings(slipped_one, Takes(asked=asked), {"": "output"})] == [0]


def test_what_is_left_out_is_skipped_and_what_a_person_saw_beside_it_stays():
    lines = {
        0.0: "5.0 V",
        60.0: "5.1 V 2.0 A",
        120.0: "50 V falters",
        180.0: "50 V",
        240.0: "50 V 2.0 A",
        **{300.0 + k: "5.0 V" for k in range(18)},
    }
    record = typed(head_of("notes"), lines)
    takes = Takes(steady=((_V,),), whole_lines=False)
    odd = odd_readings(record, takes, {"": "output"})
    sound = without(record, odd, takes, {"": "output"})
    assert [(e.jotting.mark, len(e.jotting.readings)) for e in sound.lines[2:5]] == [("falters", 0), ("skip", 0), ("", 1)]
    assert max(float(s.value.max()) for (_, q), s in sound.typed.series.items() if q == "V") < 6, "its series know it as well"
    whole = without(record, odd, replace(takes, whole_lines=True), {"": "output"})
    assert whole.lines[4].jotting.mark == "skip"
    assert {check.key for check in READING_CHECKS} == {"steady", "smooth", "falling", "most", "spread", "label", "asked for"}


# the same by every road, and a person's word

BANK = Unit("Bank", "bank", "37 Wh 10 Ah 3.7 V, 5 V")
LINES = ("load on output 5.08 V 1.00 A", "output 5.07 V 1.01 A", "output 5.07 V 10.0 A", "output 5.06 V 1.00 A", "output 5.05 V 1.00 A")
NOTES = (
    "method: output\nunit: Bank\nkind: bank\nlabel: 37 Wh 10 Ah 3.7 V, 5 V\nvolts: 0.5 % + 10 mV\namps: 1 % + 10 mA\nfull: yes\n{more}\n"
    + "".join(f"+{30 * k}min {line}\n" for k, line in enumerate((*LINES, "empty"), start=1))
)


def test_in_the_window_it_is_left_out_asked_about_and_taken_at_a_persons_word(bench_window, qtbot):
    window = bench_window
    prepare(window, BANK, "output")
    begin(window, qtbot)
    for line in (*LINES, "empty"):
        say_line(window, qtbot, line, 1800.0)
    account = close(window, qtbot)
    sound = account.findings["energy_out"].value
    assert sound == pytest.approx(12.66, rel=0.02)
    assert "10 A output at 1 h 30 min stand beside others of about 1.00 A: it was left out" in window.findings.asked.text()
    assert "left out" not in window.findings.notes.text(), "once, where it is answered"
    assert "left out?" in window.findings.table.model.says.values()
    click(qtbot, window.findings, "10 A is so")
    assert window.findings.account.findings["energy_out"].value > 1.5 * sound
    assert window.findings.asked.isHidden()
    window.bench.undo.undo()
    assert window.findings.account.findings["energy_out"].value == pytest.approx(sound)


def test_from_notes_and_on_the_command_line(tmp_path):
    notes = tmp_path / "bank.jot"
    notes.write_text(NOTES.format(more=""), "utf-8")
    told_of = ubrant("analyse", str(notes)).stdout
    assert "10 A output at" in told_of
    key = re.search(r"--checked (\S+)\.\s", " ".join(told_of.split()) + " ")
    assert key is not None
    assert "left out" not in ubrant("analyse", str(notes), "--checked", key[1]).stdout
    notes.write_text(NOTES.format(more=f"checked: {key[1]}"), "utf-8")
    assert "left out" not in ubrant("analyse", str(notes)).stdout


def test_kept_and_brought_back_it_is_still_left_out(logbook):
    run, _ = by_hand(
        logbook, "output", SAMPLES["output"].prepared("output", by_hand=True), {600.0 * k: line for k, line in enumerate(LINES, start=1)}
    )
    _, account = account_of(logbook, logbook.run(run.id))
    assert any("10 A output" in w for w in account.warnings)
    assert "10 A is so" in [q.yes for q in account.questions]
