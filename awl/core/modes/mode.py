"""What a mode is, and the six that ship with Awl: walk, walk with wheels, cycle, drive, lorry, public transport.

Speeds are free-flow km/h. The access keys run from the most specific to the most general, as in the OSM access
hierarchy; the first one a street carries decides.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

WALLS = ("wall", "fence", "hedge", "retaining_wall", "ditch", "debris", "jersey_barrier", "guard_rail")
"""Barriers nobody passes."""
NO_VEHICLE = (
    *WALLS, "bollard", "block", "cycle_barrier", "kissing_gate", "stile", "turnstile", "full-height_turnstile", "horse_stile",
    "motorcycle_barrier", "planter", "chain", "log", "step", "bus_trap", "sump_buster",
)  # fmt: skip
"""Barriers no car passes; gates and lifting bars open to those who may use the street."""
FERRY_KMH = 10.0
"""Speed of a ferry whose crossing time is not stated."""
ALLOWING = ("yes", "designated", "permissive", "official", "public")
FORBIDDING = ("no", "agricultural", "forestry", "military", "use_sidepath", "dismount")
ENDS_ONLY = ("private", "destination", "customers", "delivery", "permit", "residents")
"""Values of access tags that open a street to trips which begin or end there, not to those that pass through."""

USES = ("forbid", "ends", "allow", "slow")


@dataclass(frozen=True)
class Rule:
    """What holds for streets that meet a condition (CQL2 text): one of `USES`.

    They are forbidden, open at the ends of trips alone, allowed, or slower by a factor.
    """

    where: str
    use: str
    factor: float = 1.0


@dataclass(frozen=True)
class Delays:
    """Seconds lost, each 0 where it does not count.

    `signals_s`, `crossing_s`, `barrier_s`: at each node with signals, a crossing without, a gate that can be passed. `ferry_s`:
    the wait on boarding. `left_s`, `right_s`, `back_s`: for turns at nodes with a choice. `give_way_s`: coming from a minor
    street to a main one where no signal stands. `start_s`, `end_s`: once a trip (unlocking, parking).
    """

    signals_s: float = 0.0
    crossing_s: float = 0.0
    barrier_s: float = 0.0
    ferry_s: float = 0.0
    left_s: float = 0.0
    right_s: float = 0.0
    back_s: float = 0.0
    give_way_s: float = 0.0
    start_s: float = 0.0
    end_s: float = 0.0

    @property
    def by_turn(self) -> bool:
        """Whether the arc by which one comes to a node matters."""
        return max(self.left_s, self.right_s, self.back_s, self.give_way_s) > 0


@dataclass(frozen=True)
class Slope:
    """What slope does: nothing (`by` is `none`), the `hiking` function, or a rider of constant `power`.

    Stretches steeper than `limit` (rise over run, 0: none) are not used. Counts where the study has heights.
    """

    by: str = "none"
    limit: float = 0.0
    power_w: float = 100.0
    mass_kg: float = 90.0


@dataclass(frozen=True)
class Curve:
    """Share of free-flow speed that is left at each full hour from 0 to 23, on some `days`, for some classes (all when empty)."""

    days: str
    classes: tuple[str, ...]
    share: tuple[float, ...]


@dataclass(frozen=True)
class Vehicle:
    """What the vehicle measures, in metres and tonnes; 0 where it does not matter. Streets with a lower limit are not used."""

    height_m: float = 0.0
    width_m: float = 0.0
    weight_t: float = 0.0


@dataclass(frozen=True)
class Cost:
    """A cost of the analyst's own: CQL2 expressions along and against the drawn direction (empty: the same), with a unit.

    A link on which the expression has no value costs `missing`; None: such a link is a fault.
    """

    id: str
    unit: str
    along: str
    against: str = ""
    missing: float | None = None


@dataclass(frozen=True)
class Transit:
    """How a mode rides by public transport; on the streets it is as its other rules say.

    `slack_s`: what is allowed for at each boarding. `routes`: which routes it uses, CQL2 text over `route_id`, `name`, `kind` and
    `agency`; all when empty. `stops`: at which stops it boards and alights, CQL2 text over `stop_id` and `name`. `on_wheels`:
    leaves out trips, stops and stairs that a wheelchair cannot use. `with_bicycle`: uses trips alone that take bicycles.
    `stop_m`: how far a stop may lie from a street. `first_by`: the mode by which trips may begin, up to the first stop or, where
    `park_at` names a layer, to one of its places, for `first_min` minutes at most; on foot alone when empty.
    """

    slack_s: float = 60.0
    routes: str = ""
    stops: str = ""
    on_wheels: bool = False
    with_bicycle: bool = False
    stop_m: float = 100.0
    first_by: str = ""
    first_min: float = 20.0
    park_at: str = ""


@dataclass(frozen=True)
class Mode:
    """The rules of one kind of traveller.

    `class_speed` lists the street classes (values of `highway`) the mode may use, each with its speed when nothing
    better is known. `reads_maxspeed`: a posted limit goes before the class speed. `top_speed` caps every speed.
    `obeys_oneway`: directions count; `contraflow_key` names the tag that frees this mode from them. `turn_keys`: the vehicles
    whose turn restrictions bind it; none for a mode on foot. `barriers`: kinds of barrier it cannot pass unless a tag at the
    barrier says so. `rules` come after all this; the first that fits a street decides. `delays`: time lost at nodes and ends.
    `measured` names a street attribute, or a cost given for each direction, that holds measured speeds in km/h: they go first.
    `transit` says how it rides by public transport; None where it does not.
    """

    id: str
    title: str
    traveller: str
    class_speed: dict[str, float]
    access_keys: tuple[str, ...]
    top_speed: float
    obeys_oneway: bool
    reads_maxspeed: bool
    contraflow_key: str
    turn_keys: tuple[str, ...] = field(default=())
    barriers: tuple[str, ...] = field(default=())
    rules: tuple[Rule, ...] = field(default=())
    delays: Delays = field(default=Delays())
    slope: Slope = field(default=Slope())
    vehicle: Vehicle = field(default=Vehicle())
    curves: tuple[Curve, ...] = field(default=())
    costs: tuple[Cost, ...] = field(default=())
    measured: str = ""
    notes: tuple[str, ...] = field(default=())
    transit: Transit | None = None

    @property
    def is_on_foot(self) -> bool:
        """Whether it goes on foot, or on wheels as walkers go: no turn restriction and no one-way sign binds it."""
        return not self.turn_keys and not self.obeys_oneway


def _same(speed: float, classes: str) -> dict[str, float]:
    return {name: speed for name in classes.split()}


WALK = Mode(
    id="walk",
    title="Walk",
    traveller="walker",
    class_speed=_same(
        4.8,
        "trunk primary primary_link secondary secondary_link tertiary tertiary_link unclassified residential"
        " living_street service road track pedestrian footway path bridleway corridor cycleway connector",
    )
    | {"steps": 2.4, "ferry": FERRY_KMH},
    access_keys=("foot", "access"),
    barriers=WALLS,
    top_speed=4.8,
    obeys_oneway=False,
    reads_maxspeed=False,
    contraflow_key="oneway:foot",
    delays=Delays(signals_s=10, ferry_s=300),
    slope=Slope("hiking"),
    notes=(
        "Walks at 4.8 km/h, on steps at 2.4 km/h, slower uphill where heights are known; waits 10 s at signals.",
        "Motorways and their ramps are not used; one-way signs may be ignored.",
    ),
)

CYCLE = Mode(
    id="cycle",
    title="Cycle",
    traveller="cyclist",
    class_speed=_same(
        16.0,
        "primary primary_link secondary secondary_link tertiary tertiary_link unclassified residential"
        " service road cycleway busway",
    )
    | {"living_street": 12.0, "track": 12.0, "path": 12.0, "bridleway": 10.0, "connector": 12.0, "ferry": FERRY_KMH},
    access_keys=("bicycle", "vehicle", "access"),
    barriers=(*WALLS, "stile", "kissing_gate", "turnstile", "full-height_turnstile"),
    top_speed=28.0,
    obeys_oneway=True,
    reads_maxspeed=False,
    contraflow_key="oneway:bicycle",
    turn_keys=("bicycle",),
    delays=Delays(signals_s=12, barrier_s=5, ferry_s=300),
    slope=Slope("power"),
    notes=(
        "Rides at 16 km/h, slower on tracks and paths and uphill, where heights are known; waits 12 s at signals.",
        "One-way streets bind unless contraflow cycling is signed. Foot streets only where cycling is allowed.",
    ),
)

RUSH = Curve(
    "weekday",
    (
        "motorway",
        "motorway_link",
        "trunk",
        "trunk_link",
        "primary",
        "primary_link",
        "secondary",
        "secondary_link",
        "tertiary",
    ),
    (1, 1, 1, 1, 1, 1, 0.95, 0.7, 0.6, 0.8, 0.9, 0.9, 0.9, 0.9, 0.9, 0.85, 0.7, 0.6, 0.7, 0.85, 0.95, 1, 1, 1),
)
"""Main streets on a working day: assumed, to be replaced by what was measured."""

DRIVE = Mode(
    id="drive",
    title="Drive",
    traveller="driver",
    class_speed={
        "motorway": 100.0, "motorway_link": 50.0, "trunk": 80.0, "trunk_link": 45.0, "primary": 50.0,
        "primary_link": 40.0, "secondary": 50.0, "secondary_link": 40.0, "tertiary": 40.0, "tertiary_link": 35.0,
        "unclassified": 40.0, "residential": 30.0, "living_street": 10.0, "service": 15.0, "road": 30.0, "connector": 20.0,
    },
    access_keys=("motorcar", "motor_vehicle", "vehicle", "access"),
    barriers=NO_VEHICLE,
    top_speed=130.0,
    obeys_oneway=True,
    reads_maxspeed=True,
    contraflow_key="oneway:motorcar",
    turn_keys=("motorcar",),
    curves=(RUSH,),
    delays=Delays(signals_s=15, barrier_s=10, left_s=4, right_s=2, back_s=20, give_way_s=4),
    notes=(
        "Drives at the posted limit, or else the speed of its class; signals, turns and giving way cost assumed seconds.",
        "One-way streets and roundabouts bind. Private and destination-only streets are used at the ends of trips alone.",
    ),
)  # fmt: skip

WHEELS = replace(
    WALK,
    id="wheels",
    title="Walk with wheels",
    traveller="person on wheels",
    class_speed={name: min(speed, 4.0) for name, speed in WALK.class_speed.items() if name != "steps"},
    access_keys=("wheelchair", "foot", "access"),
    top_speed=4.0,
    slope=Slope("hiking", limit=0.08),
    barriers=(*WALLS, "stile", "kissing_gate", "turnstile", "full-height_turnstile", "cycle_barrier", "step"),
    rules=(
        Rule("highway = 'steps' AND (wheelchair IS NULL OR wheelchair <> 'yes')", "forbid"),
        Rule("wheelchair = 'no'", "forbid"),
        Rule("smoothness IN ('bad', 'very_bad', 'horrible', 'very_horrible', 'impassable')", "forbid"),
        Rule("surface IN ('gravel', 'sand', 'grass', 'mud', 'dirt', 'cobblestone', 'unhewn_cobblestone')", "slow", 0.6),
    ),
    notes=(
        "Prams and wheelchairs at 4 km/h; steps, stiles, narrow gates and slopes above 8 % are not passed.",
        "Rough ground is slow, very rough ground is not used.",
    ),
)

LORRY = replace(
    DRIVE,
    id="lorry",
    title="Lorry",
    traveller="lorry driver",
    class_speed={
        "motorway": 80.0, "motorway_link": 40.0, "trunk": 70.0, "trunk_link": 40.0, "primary": 45.0, "primary_link": 35.0,
        "secondary": 45.0, "secondary_link": 35.0, "tertiary": 35.0, "tertiary_link": 30.0, "unclassified": 30.0,
        "road": 25.0, "connector": 20.0,
    },
    access_keys=("hgv", "motor_vehicle", "vehicle", "access"),
    top_speed=80.0,
    contraflow_key="oneway:hgv",
    turn_keys=("hgv", "goods"),
    vehicle=Vehicle(height_m=4.0, width_m=2.55, weight_t=18.0),
    delays=Delays(signals_s=20, barrier_s=20, left_s=6, right_s=4, back_s=60, give_way_s=6),
    rules=(
        Rule("hgv = 'no'", "forbid"),
        Rule("highway IN ('residential', 'living_street', 'service', 'pedestrian', 'cycleway', 'footway', 'path')", "forbid"),
    ),
    notes=(
        "At most 80 km/h. A lorry of 18 t, 4 m high: lower limits and residential and service streets shut it out.",
        "One-way streets and roundabouts bind. Private and destination-only streets are used at the ends of trips alone.",
    ),
)  # fmt: skip

TRANSIT = replace(
    WALK,
    id="transit",
    title="Public transport",
    traveller="passenger",
    transit=Transit(),
    notes=(
        "Rides by the timetable and walks to, between and from stops along the streets, as a walker does; boards with a minute to"
        " spare.",
        "Times are those of a window of departures, each minute of it; nobody is slower than on foot all the way.",
    ),
)

SHIPPED = {mode.id: mode for mode in (WALK, WHEELS, CYCLE, DRIVE, LORRY, TRANSIT)}
"""The modes of every study, by id."""

CLASSES_BY_TAG_ONLY = ("pedestrian", "footway", "path", "cycleway", "bridleway", "track", "steps", "trunk", "ferry")
"""Classes a mode may use when an access tag names it outright, even if its class table leaves them out."""
