"""Power: what hosts and disks draw, what a UPS carries and for how long, a year's energy.

Runtime after Peukert: a battery rated for E Wh over R hours gives I = E / R W for R hours; at a
load of P W it lasts R x (E / (R x P))^k hours. k = 1 is an ideal battery; lead batteries have 1.1
to 1.3. Source: W. Peukert 1897 for the law; the figures of hosts and disks are assumptions.
"""

from collections.abc import Mapping, Sequence

from pydantic import BaseModel, ConfigDict

from kavrel.core.bench.stopping import cable, stopping_minutes
from kavrel.core.index import Index
from kavrel.core.once import once_a_plan
from kavrel.core.plan import Disk, Host, Plan, Supply
from kavrel.core.working import Working, step

HOURS_A_YEAR = 8766.0


class HostPower(BaseModel):
    """What a host draws at work and idle with its disks, and in a year."""

    model_config = ConfigDict(frozen=True)

    host: str
    active_watts: float
    idle_watts: float
    kwh_a_year: float
    working: Working


class Waking(BaseModel):
    """A host after the power is back: how it comes back, and after whom."""

    model_config = ConfigDict(frozen=True)

    host: str
    name: str
    how: str
    order: int


class SupplyView(BaseModel):
    """A UPS under its load. Minutes; `latest_delay_minutes` is None when nothing can be waited."""

    model_config = ConfigDict(frozen=True)

    id: str
    load_watts: float
    load_va_share: float
    overloaded: bool
    runtime_minutes: float
    shutdown_minutes: float
    latest_delay_minutes: float | None
    delay_carried: bool
    without_signal: tuple[str, ...]
    waking: tuple[Waking, ...]
    why: str
    working: Working


class Power(BaseModel):
    """The plan's power: hosts, UPSes, a year's energy and its cost in minor units."""

    model_config = ConfigDict(frozen=True)

    hosts: tuple[HostPower, ...]
    supplies: tuple[SupplyView, ...]
    kwh_a_year: float
    cost_a_year_minor: int
    working: Working


def runtime_hours(
    load_watts: float, battery_wh: float, rated_hours: float, exponent: float
) -> float:
    """Hours that a battery lasts at a load, after Peukert."""
    rated_watts = battery_wh / rated_hours
    return float(rated_hours * (rated_watts / load_watts) ** exponent)


def _disk_watts(index: Index, disk: Disk) -> tuple[float, float]:
    known = index.assumptions
    active = disk.watts or known[f"{disk.kind}_watts"]
    return active, min(active, known[f"{disk.kind}_idle_watts"])


def host_power(index: Index, host: Host) -> HostPower:
    """What one host draws: itself and the disks in its bays."""
    known = index.assumptions
    base = host.idle_watts or known[f"{host.kind}_watts"]
    disks = [d for d in index.plan.disks if d.host == host.id]
    watts = [_disk_watts(index, d) for d in disks]
    active, idle = base + sum(a for a, _ in watts), base + sum(i for _, i in watts)
    busy = known["busy_share"]
    kwh = (active * busy + idle * (1 - busy)) * HOURS_A_YEAR / 1000
    own = step("without disks", base, "W") if host.idle_watts else known.step(f"{host.kind}_watts")
    return HostPower(
        host=host.id,
        active_watts=active,
        idle_watts=idle,
        kwh_a_year=kwh,
        working=step(
            f"{host.name} at work",
            active,
            "W",
            "host + disks at work",
            own,
            *(step(d.label, a, "W") for d, (a, _) in zip(disks, watts, strict=True)),
            step("with idle disks", idle, "W"),
            step(
                "a year",
                kwh,
                "kWh",
                "(at work x busy share + idle x the rest) x 8766 h",
                known.step("busy_share"),
            ),
        ),
    )


def supply_view(index: Index, supply: Supply, hosts: dict[str, HostPower]) -> SupplyView:
    """One UPS: load, runtime, the latest safe delay, who is told and what comes back."""
    known = index.assumptions
    fed = [index.hosts[h] for h in supply.hosts]
    load = sum(hosts[h.id].active_watts for h in fed)
    stops = {h: m for h, m in stopping_minutes(index, supply).items() if h in supply.hosts}
    stopping = max(stops.values(), default=0.0)
    # Without the signal a host runs until the battery is empty: it sets no time to stop in.
    without = tuple(h.name for h in fed if h.id not in supply.signals)
    apparent = load / known["power_factor"]
    overloaded = _overloaded(index, supply, load)
    minutes, runtime = _runtime(index, supply, load, [hosts[h.id] for h in fed])
    keep = known["battery_keep_share"]
    hard = known["spin_up_factor"]
    # Where nobody hears the signal nobody stops: no delay is a safe one.
    unheard = deaf(index, supply)
    counts = load and not unheard and not overloaded
    latest = minutes * (1 - keep) - stopping * hard if counts else None
    if latest is not None and latest < 0:
        latest = None
    carried = latest is not None and supply.delay_minutes <= latest
    return SupplyView(
        id=supply.id,
        load_watts=load,
        load_va_share=apparent / supply.va,
        overloaded=overloaded,
        runtime_minutes=minutes,
        shutdown_minutes=stopping,
        latest_delay_minutes=latest,
        delay_carried=carried or not fed,
        without_signal=without,
        waking=tuple(_waking(fed)),
        why=_why(supply, load, apparent, latest, unheard),
        working=step(
            "latest safe delay",
            latest,
            "min",
            "runtime x (1 - share kept) - shutdown x load factor",
            runtime,
            known.step("battery_keep_share"),
            _last_off(index, stops),
            known.step("spin_up_factor"),
            step(
                "apparent load", apparent, "VA", "load / power factor", known.step("power_factor")
            ),
            step(
                "of what it carries",
                apparent / supply.va,
                "of it",
                "apparent load / its VA",
                step("carries", supply.va, "VA"),
            ),
        ),
    )


def _last_off(index: Index, stops: Mapping[str, float]) -> Working:
    """When the last of these hosts is off, by the minutes of each."""
    return step(
        "the last is off after the delay",
        max(stops.values(), default=0.0),
        "min",
        "mail, the wait for those that it tells, FINALDELAY and its own shutdown; the longest",
        *(step(index.hosts[h].name, m, "min") for h, m in stops.items()),
        source="upsmon.conf(5) of Network UPS Tools 2.8, as its files are written",
    )


def _runtime(
    index: Index, supply: Supply, load: float, fed: Sequence[HostPower]
) -> tuple[float, Working]:
    """Minutes that the battery carries so many watts, with their working."""
    known = index.assumptions
    minutes = 0.0
    if load:
        drawn = load / known["inverter_efficiency"]
        battery = supply.battery_wh * supply.health_percent / 100
        minutes = runtime_hours(drawn, battery, supply.rated_hours, supply.exponent) * 60
    return minutes, step(
        "runtime at this load",
        minutes,
        "min",
        "rated hours x (battery / (rated hours x load / efficiency))^exponent x 60",
        step("battery", supply.battery_wh, "Wh"),
        step("health", supply.health_percent / 100, "of it"),
        step("rated over", supply.rated_hours, "h"),
        step("exponent", supply.exponent),
        step("load", load, "W", "", *(h.working for h in fed)),
        known.step("inverter_efficiency"),
        source="Peukert 1897",
    )


def _overloaded(index: Index, supply: Supply, load: float) -> bool:
    return load > supply.watts or load / index.assumptions["power_factor"] > supply.va


def _carries(index: Index, supply: Supply) -> bool:
    load = sum(host_power(index, index.hosts[h]).active_watts for h in supply.hosts)
    return not _overloaded(index, supply, load)


def deaf(index: Index, supply: Supply) -> str:
    """Why nobody on it hears its signal; empty where somebody does."""
    if not set(supply.signals) & set(supply.hosts):
        return "nobody hears its signal: every box runs on until the battery is empty, and falls"
    keeper = cable(index, supply)
    feeding = (s for s in index.plan.supplies if keeper in s.hosts)
    if keeper and not any(_carries(index, s) for s in feeding):
        name = index.hosts[keeper].name
        return f"{name} has its signal cable and is on no UPS that carries it: it falls first and tells nobody"
    return ""


def _why(supply: Supply, load: float, apparent: float, latest: float | None, unheard: str) -> str:
    if not supply.hosts:
        return "nothing is plugged into it"
    if load > supply.watts:
        return f"{load:.0f} W of load on a UPS of {supply.watts:.0f} W: it switches off at once"
    if apparent > supply.va:
        return f"{apparent:.0f} VA of load on a UPS of {supply.va:.0f} VA: it switches off at once"
    if unheard:
        return unheard
    if latest is None:
        return "the battery does not last for the shutdown itself: less load, or a larger one"
    if supply.delay_minutes > latest:
        return (
            f"a delay of {supply.delay_minutes:g} min is more than the battery carries: at most "
            f"{latest:.1f} min"
        )
    return f"waits {supply.delay_minutes:g} min, could wait {latest:.1f} min"


HOW = {
    "by_itself": "starts by itself when the power is back",
    "over_network": "is woken over the network by a box that is up",
    "by_hand": "somebody presses the button",
}


def _waking(fed: Sequence[Host]) -> list[Waking]:
    return [
        Waking(host=h.id, name=h.name, how=HOW[h.after_power_cut], order=h.start_order)
        for h in sorted(fed, key=lambda h: (h.start_order, h.name))
    ]


@once_a_plan
def falls(plan: Plan) -> dict[str, str]:
    """Hosts that a UPS feeds and that fall all the same when the mains are away for long, each with why.

    A host that is said to be on one, in a plan that has none, is taken at its word.
    """
    index = Index(plan)
    told: dict[str, str] = {}
    for supply in plan.supplies:
        view = supply_view(
            index, supply, {h: host_power(index, index.hosts[h]) for h in supply.hosts}
        )
        for host in supply.hosts:
            if view.overloaded:
                told[host] = f"{supply.name} is overloaded and switches off at once"
            elif host not in supply.signals:
                told[host] = "the UPS that feeds it tells it nothing"
            elif why := deaf(index, supply):
                told[host] = why
            elif not view.delay_carried:
                told[host] = f"{supply.name} is empty before it has stopped"
    if plan.supplies:
        fed = {h for s in plan.supplies for h in s.hosts}
        said = {h.id: "the UPS that it is on is none of the plan's" for h in plan.hosts if h.on_ups}
        told |= {h: why for h, why in said.items() if h not in fed}
    return told


def power(index: Index) -> Power:
    """The power of the whole plan."""
    hosts = {h.id: host_power(index, h) for h in index.plan.hosts}
    kwh = sum(h.kwh_a_year for h in hosts.values())
    price = index.assumptions["energy_price"]
    cost = round(kwh * price * index.minor_units)
    return Power(
        hosts=tuple(hosts.values()),
        supplies=tuple(supply_view(index, s, hosts) for s in index.plan.supplies),
        kwh_a_year=kwh,
        cost_a_year_minor=cost,
        working=step(
            "energy in a year",
            kwh,
            "kWh",
            "sum over the hosts",
            *(h.working for h in hosts.values()),
            step("cost", cost, "money", "kWh x price", index.assumptions.step("energy_price")),
        ),
    )
