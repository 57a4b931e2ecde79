"""A guess made before the test, beside the answer. It is in no sum."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ubrant.core.account import Account
from ubrant.core.quantities.quantity import QuantityError, parse_quantity, plain, show
from ubrant.core.uncertainty.finding import Finding
from ubrant.core.wording import say

_GUESSED = re.compile(r"[-−+]?\d[\d.,  ]*\s*(?:[A-Za-zµΩ%°]+)?")


def beside(guess: str, account: Account) -> str:
    """The guess and what was measured, in a sentence; the guess alone where it is of nothing that was answered; empty without one."""
    if not guess.strip():
        return ""
    answers = [account.findings[key] for key in (*account.answers, *account.findings) if key in account.findings]
    found = _meant(guess, answers)
    if found is None:
        return say("Your guess: {guess}.", guess=guess.strip())
    finding, guessed = found
    value = finding.value or 0.0
    told = {"guess": guess.strip(), "name": finding.name, "value": finding.with_uncertainty()}
    within = finding.expanded_uncertainty is not None and abs(value - guessed) <= finding.expanded_uncertainty
    if within:
        return say("Your guess: {guess}. {name} is {value}: right, as far as was measured.", **told)
    if not guessed:
        return say("Your guess: {guess}. {name} is {value}.", **told)
    apart = 100 * (value / guessed - 1)
    word = say("more") if apart > 0 else say("less")
    return say(
        "Your guess: {guess}. {name} is {value}, {apart} % {word}.",
        **told,
        apart=plain(float(show(abs(apart), 2).replace(" ", "")), 3),
        word=word,
    )


def _meant(guess: str, answers: Iterable[Finding]) -> tuple[Finding, float] | None:
    """The first answer in whose unit the guess can be read, with the guess in that unit. A bare number is in none."""
    match = _GUESSED.search(guess)
    if match is None or not re.search(r"[A-Za-zµΩ%°]", match[0]):
        return None
    for finding in answers:
        if finding.value is None or not finding.unit:
            continue
        try:
            return finding, parse_quantity(match[0].strip(), finding.unit)
        except QuantityError:
            continue
    return None
