"""What a person has set, kept with the desktop's settings."""

from __future__ import annotations

import math
from pathlib import Path

from PyQt6.QtCore import QSettings, QStandardPaths

from ubrant.core.uncertainty.finding import Finding

GROUNDS = (("auto", "as the desktop has it"), ("light", "light"), ("dark", "dark"))
CHARGES = (("Ah", "Ah"), ("mAh", "mAh"))
GUARDIAN_S = (15.0, 30.0, 60.0)
SPEEDS = (("simulated, at once", math.inf), ("simulated, 600 ×", 600.0), ("simulated, 60 ×", 60.0), ("simulated, in real time", 1.0))


def ground() -> str:
    return str(QSettings().value("ground", "auto"))


def speed_index() -> int:
    """Which of SPEEDS a test is offered at."""
    return int(QSettings().value("speed", 1))


def guardian_s() -> float:
    """After how long without a sign of life from the program its guardian switches off."""
    return float(QSettings().value("guardian_s", GUARDIAN_S[0]))


def folder() -> Path:
    """Where files are offered to be saved."""
    documents = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation)
    return Path(str(QSettings().value("folder", documents)))


def as_wished(finding: Finding) -> Finding:
    """A finding in the unit that charge is to be shown in."""
    if finding.unit == "Ah" and QSettings().value("charge", "Ah") == "mAh":
        return finding.in_unit("mAh", 1000.0)
    return finding
