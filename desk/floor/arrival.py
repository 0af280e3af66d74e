"""When a change at a unit shows at the machine chest, as the line stands and runs."""

from desk.floor.state import State
from desk.mill.selectors import solve
from stock.figure import Figure
from stock.plan.arriving import arrival, way_to_machine


def arrival_from(state: State, unit_id: str) -> Figure | None:
    """Return when a change that leaves a unit arrives, by what the vessels on its way hold and by the orders to come; None where no way is known."""
    onward = state.line.graph.onward(unit_id)
    levels = {
        name: state.readings[unit.level].value for name, unit in state.vessels.items() if unit.level in state.readings
    }
    way = way_to_machine(state.line, state.result, levels, unit_id)
    if onward is None or not way:
        return None
    now = state.result.streams[onward.id].bdt_per_h
    to_come = []
    for order in state.orders[1:] if now > 1e-6 else ():
        result = solve(state.world.version, order.grade, order.reel_t_per_h, order.shares)
        hours = (order.from_at - state.now).total_seconds() / 3600
        to_come.append((hours, result.streams[onward.id].bdt_per_h / now))
    return arrival(way, to_come, f"from {state.line.unit(unit_id).name} to the machine chest")
