"""The voltage chart as a table: stages by electrodes, and their heaters."""

from __future__ import annotations

from dataclasses import replace

from glowdial.core.journey.pictures import ReadingTable, TableCell, TableRow
from glowdial.core.journey.steps import Result
from glowdial.core.language.quantities import significant
from glowdial.core.model.facts import ReceiverFacts
from glowdial.core.stages.bring_up.chart_causes import ChartTaken
from glowdial.core.stages.bring_up.voltage_chart import ChartLine, electrode_name, heater_lines

HEATER_COLUMN, HEAT_COLUMN = "heater", "heat"


def chart_table(
    facts: ReceiverFacts, lines: tuple[ChartLine, ...], taken: ChartTaken, results: list[Result]
) -> ReadingTable:
    """Stages by electrodes and heaters, with what is expected on this line and meter, and what was
    read with its verdict."""
    read = {r.label: r for r in results}
    heaters = dict(heater_lines(facts.circuit, taken.line_v, facts.nominal_line_v))
    names = tuple(dict.fromkeys((*(line.stage for line in lines), *heaters)))
    rows: list[TableRow] = []
    for name in names:
        cells = [
            _cell(line.label.removeprefix(f"{name} "), name, line.label, nominal, read)
            for line in lines
            if line.stage == name
            for nominal in [line.read_v(taken.share, taken.meter_ohm)]
        ]
        if name in heaters:
            nominal = heaters[name].nominal or 0.0
            label = f"{name} {HEATER_COLUMN}"
            cells.append(_cell(HEATER_COLUMN, "heaters", label, nominal, read))
        stage = facts.circuit.stage(name)
        heat = f"{name} {electrode_name(stage, 'plate')} {HEAT_COLUMN}" if stage else ""
        if heat in read:
            shown = _cell(HEAT_COLUMN, name, heat, 0.0, read)
            most = f"up to {read[heat].high_text}"
            cells.append(replace(shown, expected=most, read=shown.read.split(",")[0]))
        asked = name if any(line.stage == name for line in lines) else "heaters"
        rows.append(TableRow(asked, name, role_words(facts, name), tuple(cells)))
    every = [c.column for row in rows for c in row.cells]
    last = tuple(c for c in (HEATER_COLUMN, HEAT_COLUMN) if c in every)
    electrodes = (c for c in dict.fromkeys(every) if c not in last)
    return ReadingTable((*electrodes, *last), tuple(rows))


def _cell(column: str, ask: str, label: str, nominal: float, read: dict[str, Result]) -> TableCell:
    """``nominal`` is expected now; of what was read that counts which was expected then."""
    found = read.get(label)
    if found is None:
        return TableCell(column, ask, label, _volts(nominal))
    judged = found.judgement
    then = found.window.nominal if found.window else None
    expected = _volts(then if then is not None else nominal)
    return TableCell(column, ask, label, expected, found.text, judged.verdict.value, judged.brief)


def _volts(value: float) -> str:
    return f"{significant(value, 3)} V"


def role_words(facts: ReceiverFacts, name: str) -> str:
    """What a stage does, by its circuit or by the line-up."""
    stage = facts.circuit.stage(name)
    if stage is not None:
        return stage.role.value
    return next((t.function for t in facts.tubes if t.position == name), "")
