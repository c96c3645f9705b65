"""Inputs of the question `simulate`."""

from __future__ import annotations

import re
from datetime import time
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError, field_validator, model_validator
from pydantic.fields import FieldInfo

from awl.questions.inputs import FeatureSet, SharedInputs
from awl.questions.slots import Clause, Offer, choice_word, number_word, place_word, slot

MOST_PEOPLE = 200_000
MOST_RUNS = 1000
MOST_SWEPT = 60
DAY_MIN = 24 * 60
CLOCK = re.compile(r"(\d{1,2}:\d{2})\s*/\s*(\d{1,2}:\d{2})$")
SWEPT = {
    "people": "people", "more_seats": "seats more in each", "within": "minutes on the way at most",
    "stay": "minutes of stay", "at_home": "% staying at home", "speed": "% of the usual speed", "pass_on": "% passed on",
}  # fmt: skip
"""Inputs that a sweep goes over, with what their values are."""
WHOLE = ("people", "more_seats")
NAME = r"^[^\W\d_](?:[\w '-]{0,38}[^\W_])?$"
"""What a state may be called: up to 40 letters, digits, spaces, hyphens and apostrophes, a letter first."""
STATES = ["susceptible", "carrying", "recovered"]
Share = Annotated[float, Field(ge=0, le=100)]


def column_of(state: str) -> str:
    """The name of the column with the numbers of a state."""
    return state.lower().replace(" ", "_")


def minutes_of(clock: str) -> int:
    """Minutes since midnight of a clock time such as 13:05; 24:00 is the end of the day."""
    hours, minutes = (int(part) for part in clock.split(":"))
    if (hours, minutes) != (24, 0):
        time(hours, minutes)
    return 60 * hours + minutes


class SimulateInputs(SharedInputs):
    """Inputs of `simulate`."""

    people: int | None = Field(
        None,
        ge=1,
        le=MOST_PEOPLE,
        description="How many set out; null means everybody there is, and 1,000 where trips are random.",
        json_schema_extra=number_word("People", "{}", "people", nothing="all", fresh={"value": 1000}),
    )
    fields: list[str] = Field(
        default_factory=list,
        max_length=40,
        description="Zone fields with numbers of people, who set out in proportion; the first with numbers where left out.",
        json_schema_extra=slot("amount", "Who", "fields", nothing="people", of="zones", field_type="number"),
    )
    zones: FeatureSet | None = Field(
        None,
        description="Zones with people, where trips begin at homes; left out, squares of the population raster.",
        json_schema_extra=place_word(
            "Zones", "zones", "residents", points=None, nothing="the population raster in squares"
        ),
    )
    demand: Literal["nearest", "attraction", "table", "random"] = Field(
        "nearest",
        description="Who goes where: people of zones to the nearest place; to places by their attraction and by how long it"
        " takes; along given lines, each a trip or as many as a field says; or at random.",
        json_schema_extra=choice_word(
            "Where to",
            {
                "nearest": "for the nearest of",
                "attraction": "drawn to one of",
                "table": "along the lines of",
                "random": "at random",
            },
        ),
    )
    places: FeatureSet | None = Field(
        None,
        description="Where people go. With 'table', trips that end near one of them go there.",
        json_schema_extra=place_word("Places", fresh={"with_field": "seats"}),
    )
    trips: FeatureSet | None = Field(
        None,
        description="With 'table': lines, each a trip from its first to its last vertex. Fields may say how many ('count'),"
        " by which mode ('mode') and when ('start').",
        json_schema_extra=place_word("Trips", "lines", points=None, optional=True),
    )
    count: str | None = Field(
        None,
        description="With 'table': a field of the lines with how many make each trip.",
        json_schema_extra=slot(
            "amount", "How many", "field", of="trips", field_type="number", nothing="one each, or as 'count' says",
            clause=Clause(text="as many as {count} says", rank=8),
            offer=Offer(label="How many", hint="A field with how many make each trip", needs=["trips"], rank=2),
        ),
    )  # fmt: skip
    ends: Literal["streets", "nodes", "homes", "places"] = Field(
        "streets",
        description="With 'random': trips lead between points on streets, crossings, homes of the zones, or the places.",
        json_schema_extra=choice_word(
            "Between",
            {
                "streets": "between streets", "nodes": "between crossings", "homes": "between homes",
                "places": "between places",
            },
        ),
    )  # fmt: skip
    start: str = Field(
        "13:00/14:00",
        max_length=80,
        description="When people set out: a window such as 13:00/14:00, or with 'table' a field of the lines with clock times.",
        json_schema_extra=slot("time", "Setting out", "window", of="trips"),
    )
    starts: Literal["evenly", "middle", "early"] = Field(
        "evenly",
        description="How starts are spread over the window: evenly, most in its middle, or most at its begin.",
        json_schema_extra=choice_word(
            "Spread of starts",
            {"evenly": "evenly spread", "middle": "most of them midway", "early": "most of them at first"},
            clause=Clause(text="{starts}", rank=11),
            offer=Offer(label="Spread of starts", hint="Evenly, most midway, or most at first", rank=4),
        ),
    )
    stay: float = Field(
        120.0,
        ge=0,
        le=DAY_MIN,
        description="How long each stays at a place, in minutes.",
        json_schema_extra=number_word("Stay", "{} minutes", "minutes"),
    )
    capacity: int | str | None = Field(
        None,
        description="How many a place holds at once: a number for all, or a field of the places; null means any number.",
        json_schema_extra=slot(
            "amount", "Room", "room", of="places", field_type="number", nothing="any number of people",
            fresh={"field": "seats"},
        ),
    )  # fmt: skip
    more_seats: int = Field(
        0,
        ge=-100_000,
        le=100_000,
        description="Seats that each place has beyond that.",
        json_schema_extra=number_word(
            "More seats",
            "{}",
            "seats more in each",
            clause=Clause(text="with {more_seats} seats more in each", rank=13),
            offer=Offer(label="More seats", hint="What if each place had more room", needs=["capacity"], rank=3),
        ),
    )
    when_full: Literal["next", "wait", "leave"] = Field(
        "next",
        description="What those do who find a place full: go on to the next within what is left of 'within', wait, or give up.",
        json_schema_extra=choice_word(
            "Where it is full",
            {"next": "going on to the next if full", "wait": "waiting if full", "leave": "giving up if full"},
        ),
    )
    patience: float = Field(
        30.0,
        ge=0,
        le=DAY_MIN,
        description="How long one waits at most, in minutes.",
        json_schema_extra=number_word(
            "Patience",
            "{} minutes",
            "minutes of waiting at most",
            clause=Clause(text="for {patience} at most", rank=-1),
            offer=Offer(label="Patience", hint="How long one waits for a seat", rank=5),
        ),
    )
    within: float = Field(
        30.0,
        gt=0,
        le=DAY_MIN,
        description="How long one is on the way at most, in minutes, going on included.",
        json_schema_extra=number_word(
            "On the way",
            "{} minutes",
            "minutes on the way at most",
            clause=Clause(text="on the way for {within} at most", rank=12, always=True),
        ),
    )
    at_home: Share = Field(
        0.0,
        description="How many of a hundred stay at home.",
        json_schema_extra=number_word(
            "Staying at home",
            "{}%",
            "% stay at home",
            clause=Clause(text="with {at_home} staying at home", rank=14),
            offer=Offer(label="Stay at home", hint="A share of the people does not set out", rank=6),
        ),
    )
    speed: float = Field(
        100.0,
        ge=10,
        le=400,
        description="Speed in percent of what is usual; public transport runs as it does.",
        json_schema_extra=number_word(
            "Speed",
            "{}%",
            "% of the usual speed",
            clause=Clause(text="at {speed} of the usual speed", rank=15),
            offer=Offer(label="Speed", hint="Everybody slower or faster than usual", rank=7),
        ),
    )
    modes: dict[str, Share] | None = Field(
        None,
        max_length=6,
        description="Shares in percent that go by other modes, such as {\"cycle\": 20}; all others go by 'mode'.",
        json_schema_extra=slot(
            "mode",
            "Other modes",
            "shares",
            nothing="nobody otherwise",
            clause=Clause(text="{modes}", rank=10),
            offer=Offer(label="Other modes", hint="A share of the people goes by another mode", rank=5),
        ),
    )
    spread: Literal["area", "buildings", "streets", "grid"] = Field(
        "streets",
        description="Where in a zone its people live, as in 'access'.",
        json_schema_extra=choice_word(
            "People by",
            {"streets": "street", "area": "area", "buildings": "building", "grid": "population grid"},
        ),
    )
    buildings: FeatureSet | None = Field(
        None, description="Buildings for that spread; the study's layer where left out."
    )
    weights: str | None = Field(
        None,
        description="With 'attraction': a field of the places with how much each attracts; all alike where left out.",
        json_schema_extra=slot(
            "amount", "Attraction", "field", of="places", field_type="number", text="by {}", nothing="all alike",
            fresh={"field": "seats"},
        ),
    )  # fmt: skip
    balance: Literal["origins", "both"] = Field(
        "origins",
        description="With 'attraction': trips are balanced by what origins send, or also by what places take in, which is then"
        " in proportion to their weights.",
        json_schema_extra=choice_word(
            "Balanced by", {"origins": "what is sent", "both": "what is sent and what is taken in"}
        ),
    )
    half: float = Field(
        10.0,
        gt=0,
        le=240,
        description="With 'attraction': minutes after which a place counts one half (exponential).",
        json_schema_extra=number_word("One half after", "{} minutes", "minutes until a place counts one half"),
    )
    mean: float | None = Field(
        None,
        gt=0,
        le=DAY_MIN,
        description="With 'attraction': the mean time of a trip in minutes, to which the decay is calibrated.",
        json_schema_extra=number_word(
            "Mean trip",
            "{} minutes",
            "minutes of a trip on the mean",
            nothing="any mean",
            clause=Clause(text="calibrated to a mean trip of {mean}", rank=9),
            offer=Offer(label="Mean trip", hint="Calibrate how time counts to the mean of all trips", rank=8),
        ),
    )
    meet: float | None = Field(
        None,
        gt=0,
        le=50,
        description="Count meetings: two people within this distance of each other, in metres along streets.",
        json_schema_extra=number_word(
            "Meeting",
            "{} m",
            "metres apart at most, along streets",
            nothing="no meetings",
            clause=Clause(text="meeting within {meet}", rank=16),
            offer=Offer(label="Meetings", hint="Who comes close to whom, along the streets", rank=6),
        ),
    )
    meet_for: int = Field(
        5,
        ge=0,
        le=86_400,
        description="For how many seconds two must be so close.",
        json_schema_extra=number_word(
            "For",
            "{} s",
            "seconds at least",
            clause=Clause(text="for {meet_for}", rank=17),
            offer=Offer(label="Length of a meeting", hint="For how long two must be close", needs=["meet"], rank=6),
        ),
    )
    pass_on: Share | None = Field(
        None,
        description="With 'meet': something is passed on at a meeting with this probability, in percent.",
        json_schema_extra=number_word(
            "Passed on",
            "{}%",
            "% at a meeting",
            nothing="nothing passed on",
            clause=Clause(text="passing something on at {pass_on} of meetings", rank=18),
            offer=Offer(label="Pass on", hint="Something is passed on at meetings", needs=["meet"], rank=6),
        ),
    )
    carriers: int = Field(
        1,
        ge=1,
        le=MOST_PEOPLE,
        description="How many carry it when the first set out.",
        json_schema_extra=number_word(
            "Carriers",
            "{}",
            "carry it at first",
            clause=Clause(text="{carriers} carrying it at first", rank=22),
            offer=Offer(label="Carriers", hint="How many carry it at first", needs=["pass_on"], rank=6),
        ),
    )
    recovery: float | None = Field(
        None,
        gt=0,
        le=14 * DAY_MIN,
        description="Minutes after which one carries it no more; null for never.",
        json_schema_extra=number_word(
            "Recovery",
            "{} minutes",
            "minutes until it is carried no more",
            nothing="for good",
            clause=Clause(text="carried for {recovery}", rank=23),
            offer=Offer(label="Recovery", hint="After how long it is carried no more", needs=["pass_on"], rank=6),
        ),
    )
    states: list[Annotated[str, Field(pattern=NAME)]] = Field(
        STATES,
        min_length=3,
        max_length=3,
        description="What to call those who can take it on, carry it, and carry it no more.",
        json_schema_extra=slot(
            "amount",
            "Names of the states",
            "names",
            words=dict(zip(STATES, ("can take it on", "carry it", "carry it no more"), strict=True)),
            clause=Clause(text="called {states}", rank=24),
            offer=Offer(label="Names", hint="What those are called who carry it", needs=["pass_on"], rank=7),
        ),
    )
    seed: int = Field(
        1,
        ge=0,
        le=2**32 - 1,
        description="Begins the chance of the runs: the same seed gives the same result.",
        json_schema_extra=number_word(
            "Seed", "seed {}", "of chance", clause=Clause(text="{seed}", rank=21),
            offer=Offer(label="Seed", hint="Other chance", rank=9),
        ),
    )  # fmt: skip
    runs: int = Field(
        1,
        ge=1,
        le=MOST_RUNS,
        description="How often it is run, each time with other chance: figures are means with the middle nine tenths.",
        json_schema_extra=number_word(
            "Runs",
            "{} runs",
            "runs",
            clause=Clause(text="over {runs}", rank=19),
            offer=Offer(label="Many runs", hint="Means and intervals instead of one run", rank=1),
        ),
    )
    sweep: (
        dict[Literal["people", "more_seats", "within", "stay", "at_home", "speed", "pass_on"], list[float]] | None
    ) = Field(
        None,
        max_length=2,
        description='One or two of these inputs with the values they go through, such as {"more_seats": [0, 20, 40]}: all is'
        " run for each value.",
        json_schema_extra=slot(
            "way",
            "Sweep",
            "sweep",
            words=SWEPT,
            nothing="nothing swept",
            clause=Clause(text="swept over {sweep}", rank=20),
            offer=Offer(label="Sweep", hint="How the outcome changes with a number, such as seats", rank=0),
        ),
    )
    window: int = Field(60, ge=1, le=240, description="Ignored: people take the departure that fits their start time.")
    percentile: float = Field(
        50.0, ge=0, le=100, description="Ignored: people take the departure that fits their start time."
    )

    @field_validator("start")
    @classmethod
    def _a_window(cls, value: str) -> str:
        if "/" not in value:
            return value
        clock = CLOCK.match(value.strip())
        try:
            begin, end = (minutes_of(part) for part in clock.groups()) if clock else (1, 0)
        except ValueError:
            begin, end = 1, 0
        if end <= begin:
            raise ValueError(f"'{value}' is no window; write 13:00/14:00")
        return value

    @field_validator("sweep")
    @classmethod
    def _values(cls, value: Any) -> Any:
        for name, values in (value or {}).items():
            if not values or len(values) > MOST_SWEPT or len(set(values)) != len(values):
                raise ValueError(f"'{name}' needs one to {MOST_SWEPT} different values")
        return value or None

    @field_validator("states")
    @classmethod
    def _told_apart(cls, value: list[str]) -> list[str]:
        columns = [*(column_of(name) for name in value), "minute", "clock"]
        if len(set(columns)) < len(columns) or any(one.startswith(f"{other}_") for one in columns for other in columns):
            raise ValueError(
                "The three states need different names, none beginning with another, nor 'minute' or 'clock'"
            )
        return value

    @model_validator(mode="after")
    def _fits_together(self) -> SimulateInputs:
        if self.demand in ("nearest", "attraction") and self.places is None:
            raise ValueError("Give 'places' that people go to")
        if self.demand == "table" and self.trips is None:
            raise ValueError("Give 'trips', a layer of lines")
        if self.demand == "random" and self.ends == "places" and self.places is None:
            raise ValueError("Give 'places' between which trips lead")
        if self.demand != "table" and "/" not in self.start:
            raise ValueError("'start' is a window such as 13:00/14:00; a field holds starts with 'table' alone")
        if self.pass_on is not None and self.meet is None:
            raise ValueError("Give 'meet': something is passed on at meetings alone")
        if sum((self.modes or {}).values()) > 100:
            raise ValueError("The shares of other modes come to more than 100 %")
        combinations = 1
        for name, values in (self.sweep or {}).items():
            combinations *= len(values)
            for one in values:
                _check_swept(name, type(self).model_fields[name], one)
        if combinations * self.runs > MOST_RUNS * 10:
            raise ValueError(f"A sweep has {MOST_RUNS * 10:,} runs at most")
        return self


def _check_swept(name: str, info: FieldInfo, value: float) -> None:
    """A value of a sweep must be one that the input itself can have."""
    if name in WHOLE and value != int(value):
        raise ValueError(f"'sweep': '{name}' goes through whole numbers, not {value:g}")
    annotated: Any = Annotated[(info.annotation, *info.metadata)]
    try:
        TypeAdapter(annotated).validate_python(int(value) if name in WHOLE else value)
    except ValidationError as error:
        raise ValueError(f"'sweep': {value:g} is no value of '{name}': {error.errors()[0]['msg'].lower()}") from error
