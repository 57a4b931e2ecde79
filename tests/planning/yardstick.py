"""The same bench for a constraint solver (CP-SAT of ``ortools``): the shortest plan it finds, on a grid of five minutes."""

from __future__ import annotations

import math

from ortools.sat.python import cp_model

from tests.planning.random_benches import DAY, GRID
from ubrant.core.planning.steps import BY_ITSELF, WHEN_SEEN, BenchDays


def shortest(days: BenchDays, seconds: float, hint: dict[str, float] | None = None) -> tuple[float | None, bool]:
    """(seconds at which the last step ends, whether nothing shorter is possible); None for none."""
    model = cp_model.CpModel()
    base = days.begins
    slots = int(15 * DAY / GRID)

    def cells(value: float) -> int:
        return round(value / GRID)

    def at(moment: float) -> int:
        return round((moment - base) / GRID)

    absent = []
    edge = 0
    for span in days.here:
        if at(span.start) > edge:
            absent.append((edge, at(span.start)))
        edge = max(edge, at(span.end))
    absent.append((edge, slots * 2))
    fixed_absent = [model.NewIntervalVar(a, b - a, b, f"absent {a}") for a, b in absent if b > a]
    starts, ends, person, units, tools, sockets = {}, {}, list(fixed_absent), {}, {}, []
    for step in days.steps:
        start = model.NewIntVar(0, slots, f"{step.key} start")
        end = model.NewIntVar(0, slots, f"{step.key} end")
        long = cells(step.seconds)
        if step.ends == WHEN_SEEN:
            model.Add(end >= start + long + cells(step.ends_s))
        else:
            model.Add(end == start + long)
        starts[step.key], ends[step.key] = start, end
        length = model.NewIntVar(0, slots, f"{step.key} length")
        model.Add(length == end - start)
        whole = model.NewIntervalVar(start, length, end, step.key)
        units.setdefault(step.unit, []).append(whole)
        if step.begins_s:
            person.append(model.NewIntervalVar(start, cells(step.begins_s), start + cells(step.begins_s), f"{step.key} begin"))
        if step.ends != BY_ITSELF:
            person.append(model.NewIntervalVar(end - cells(step.ends_s), cells(step.ends_s), end, f"{step.key} stop"))
        if not step.alone:
            model.AddNoOverlap([whole, *fixed_absent])
        if step.watts and math.isfinite(days.socket_w):
            sockets.append((whole, int(step.watts)))
        for group in step.tools:
            chosen = []
            for tool in group:
                used = model.NewBoolVar(f"{step.key} {tool}")
                tools.setdefault(tool, []).append(model.NewOptionalIntervalVar(start, length, end, used, f"{step.key} on {tool}"))
                chosen.append(used)
            model.AddExactlyOne(chosen)
        if math.isfinite(step.due):
            model.Add(end <= at(step.due))
    for step in days.steps:
        for before in step.after:
            model.Add(starts[step.key] >= ends[before])
            if math.isfinite(step.soon_s):
                model.Add(starts[step.key] <= ends[before] + cells(step.soon_s))
    for spans in (*units.values(), *tools.values(), person):
        model.AddNoOverlap(spans)
    if sockets:
        model.AddCumulative([i for i, _ in sockets], [w for _, w in sockets], int(days.socket_w))
    last = model.NewIntVar(0, slots, "last")
    model.AddMaxEquality(last, list(ends.values()))
    model.Minimize(last)
    for key, moment in (hint or {}).items():
        model.AddHint(starts[key], at(moment))
    solver = cp_model.CpSolver()
    solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = 2
    status = solver.Solve(model)
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return None, status == cp_model.INFEASIBLE
    return solver.Value(last) * GRID, status == cp_model.OPTIMAL
