"""A waveform as a method: its account."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ubrant.core.account import Account, WaveAtLoad
from ubrant.core.conversion.transient import analyse_transient, is_dc
from ubrant.core.conversion.waveform import Waveform, analyse_wave
from ubrant.core.drawings import Curve, Drawing, Plot, Sticks
from ubrant.core.quantities.quantity import QuantityError, plain, show
from ubrant.core.quantities.readings import Array, ReadingsError, Series
from ubrant.core.quantities.tolerance import parse_tolerance
from ubrant.core.record.head import Criteria, Setup
from ubrant.core.record.record import Record
from ubrant.core.wording import say, words
from ubrant.methods.converting import wave_plot
from ubrant.methods.method import WAVE_LOG, Method, MethodError
from ubrant.methods.rehearsal import Rehearsal

_KINDS = {
    "sine": words("A sine"),
    "stepped": words("A stepped wave"),
    "square": words("A square wave"),
    "distorted": words("A distorted wave"),
}


class WaveMethod(Method):
    """Brought in, never started."""

    key = "waveform"
    title = "Waveform"
    is_started = False
    taps = ("scope",)
    has_leads = False
    log = WAVE_LOG

    def of_log(self, setup: Setup, said: Mapping[str, str]) -> tuple[Setup, Criteria]:
        try:
            return setup, Criteria(tolerance=parse_tolerance(said["tolerance"]) if said.get("tolerance") else None)
        except QuantityError as error:
            raise MethodError("tolerance", str(error)) from None

    def account(self, record: Record, expected: Rehearsal | None = None) -> Account:
        scope = record.at("scope", "V")
        if not len(scope):
            return Account(trouble=say("There is no record in it."))
        time, volts = scope.time_s - scope.time_s[0], scope.value
        load_w, accuracy = record.head.conditions.load_w or 0.0, record.accuracy("scope", "V")

        def drawn() -> tuple[Drawing, ...]:
            return (record_plot(scope),)

        try:
            if is_dc(volts) and float(np.ptp(volts)) > 0:
                transient = analyse_transient(time, volts, record.head.criteria.tolerance, accuracy)
                return Account(transient.findings, (), (), None, transient.sentence, transient.warnings, drawings=drawn)
            wave = analyse_wave(time, volts, accuracy)
        except ReadingsError as error:
            return Account(trouble=str(error), drawings=drawn)
        where = say("at {load} W", load=show(load_w, 3)) if load_w else record.head.origin.columns.get("voltage", "")
        seen = WaveAtLoad(load_w, time, volts, wave.kind, wave.findings, wave.warnings, wave.harmonics)
        return Account(
            wave.findings,
            ("rms", "frequency", "thd"),
            (),
            None,
            wave_sentence(wave, where),
            wave.warnings,
            kind=wave.kind,
            waves=(seen,),
            drawings=lambda: (wave_plot((seen,)), *_harmonics(wave.harmonics)),
        )


def wave_sentence(found: Waveform, what: str = "") -> str:
    """What a colleague would say of a wave."""
    rms, hertz, thd = (found.findings[key] for key in ("rms", "frequency", "thd"))
    where = f" ({what})" if what else ""
    return say(
        "{kind}: {rms}, {hertz}, THD {thd}{where}.",
        kind=say(_KINDS[found.kind]),
        rms=rms.value_text(),
        hertz=hertz.value_text(),
        thd=thd.value_text(),
        where=where,
    )


def _harmonics(harmonics: Array) -> tuple[Plot, ...]:
    """Each harmonic as a share of the first."""
    shares = 100 * harmonics[1:] / harmonics[0]
    if not len(shares):
        return ()
    largest = int(np.argmax(shares)) + 2
    description = say("largest: number {n}, {share} %", n=largest, share=plain(float(shares.max()), 3))
    numbers = np.arange(2, len(shares) + 2, dtype=np.float64)
    spans = ((1.0, 41.0), (0.0, max(float(shares.max()) * 1.15, 1.0)))
    return (Plot(say("Harmonics"), say("number"), say("% of the first"), *spans, (Sticks(numbers, shares),), description),)


def record_plot(scope: Series) -> Plot:
    """A record over time, as it was read."""
    high, low = float(scope.value.max()), float(scope.value.min())
    room = max(high - low, 1e-6)
    span = (float(scope.time_s[0]), max(float(scope.time_s[-1]), float(scope.time_s[0]) + 1e-6))
    thin = max(len(scope) // 2000, 1)
    line = Curve(scope.time_s[::thin], scope.value[::thin], "power")
    return Plot(
        say("Record"),
        say("time, s"),
        "V",
        span,
        (low - 0.1 * room, high + 0.15 * room),
        (line,),
        say("{low} to {high} V", low=show(low), high=show(high)),
    )
