"""Which row a line answers: the one that it names, else the one whose turn it is; and what answers none."""

from __future__ import annotations

from ubrant.core.quantities.jot import Grammar, TypedLine
from ubrant.methods.rows import HandScript, Prompt

HAND = HandScript((), tuple(Prompt("", short=name) for name in ("12 V", "12 V, no load", "12 V, no load", "9 V")), Prompt(""))


def typed(note: str = "") -> TypedLine:
    found = Grammar().parse("12.0 V" + (f' "{note}"' if note else ""))
    assert found is not None
    return found


def answered(*lines: TypedLine) -> tuple[list[str], list[str]]:
    names, left = HAND.told_apart(lines)
    return names, [row.short for row in left]


def test_without_a_name_it_is_the_next():
    assert answered(typed(), typed("a remark")) == (["12 V", "12 V, no load"], ["12 V, no load", "9 V"])


def test_of_several_of_one_name_the_first_that_is_left():
    assert answered(typed("12 V, no load"), typed("12 V, no load")) == (["12 V, no load"] * 2, ["12 V", "9 V"])
    assert answered(*[typed("12 V, no load")] * 3)[1] == ["12 V", "9 V"]


def test_the_longer_of_two_names_and_what_follows_a_comma_is_a_remark():
    assert answered(typed("12 V, no load, warm"))[0] == ["12 V, no load"]
    assert answered(typed("12 V, warm"))[0] == ["12 V"]


def test_a_note_and_a_mark_beside_what_is_asked_answer_none():
    alarm = Grammar().parse("alarm")
    assert alarm is not None
    assert answered(typed(), TypedLine("fan started"), alarm, typed()) == (["12 V", "", "", "12 V, no load"], ["12 V, no load", "9 V"])
