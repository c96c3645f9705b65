"""Inputs of the question `access`."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from awl.questions.inputs import FeatureSet, GeoJson, Limits, SharedInputs
from awl.questions.slots import Clause, Offer, choice_word, number_word, place_word, slot
from awl.questions.zone_inputs import FIELDS


class Against(BaseModel):
    """What else holds in a second run; what is left out stays as in the first."""

    model_config = ConfigDict(extra="forbid")

    mode: str | None = Field(None, description="Another mode.")
    at: str | None = Field(None, description="Another hour; null means free flow.")
    closures: GeoJson | None = Field(None, description="Other closed streets; null means none.")
    places: FeatureSet | None = Field(None, description="Other places.")
    direction: Literal["from", "to"] | None = Field(None, description="The other direction.")


class AccessInputs(SharedInputs):
    """Inputs of `access`."""

    zones: FeatureSet | None = Field(
        None,
        description="Zones with people; left out, squares of the population raster stand for them.",
        json_schema_extra=place_word(
            "Zones", "zones", "residents", points=None, nothing="the population raster in squares"
        ),
    )
    fields: list[str] = FIELDS
    places: FeatureSet = Field(description="What is to be reached.", json_schema_extra=place_word("Places"))
    limits: Limits = Field(
        [5.0, 10.0, 15.0], description="Minutes, ascending.", json_schema_extra=slot("amount", "Limits", "limits")
    )
    direction: Literal["from", "to"] = Field(
        "to",
        description="People go to the places, or are served from them.",
        json_schema_extra=choice_word("Direction", {"to": "going there", "from": "being served from there"}),
    )
    spread: Literal["area", "buildings", "streets", "grid"] = Field(
        "streets",
        description="Where in a zone its people live: evenly along its streets with residential frontage, evenly over its area,"
        " in its buildings by floor area, or as a population raster says.",
        json_schema_extra=choice_word(
            "People by",
            {"streets": "street", "area": "area", "buildings": "building", "grid": "population grid"},
        ),
    )
    buildings: FeatureSet | None = Field(
        None, description="Buildings for that spread; the study's layer of buildings where left out."
    )
    weights: str | None = Field(
        None,
        description="A field of the places with what each offers, such as seats; each counts as one where left out.",
    )
    kind: str | None = Field(
        None, description="A field of the places that says their kind: each is counted by itself too."
    )
    measures: list[Literal["gravity", "two_step", "kth"]] = Field(
        default_factory=list,
        max_length=3,
        description="Further measures per zone: potential with decay, supply per head by two-step floating catchment areas within"
        " the last limit, minutes to the k-th nearest place.",
        json_schema_extra=slot(
            "way",
            "Measures",
            "measures",
            words={"gravity": "potential", "two_step": "supply per head", "kth": "time to the k-th nearest"},
            nothing="nothing more",
            clause=Clause(text="measuring {measures} too", rank=2),
            offer=Offer(label="Measure more", hint="Potential, supply per head, time to the k-th nearest"),
        ),
    )
    decay: Literal["exponential", "power", "gaussian"] | None = Field(
        None,
        description="How a place counts less with time: for the potential (exponential where left out), and for supply.",
    )
    half: float = Field(10.0, gt=0, le=240, description="Minutes at which a place counts one half.")
    k: int = Field(2, ge=1, le=100, description="Which nearest place `kth` looks for.")
    compare_straight_line: bool = Field(True, description="Also count people within a straight line of the same time.")
    against: Against | None = Field(
        None,
        description="A second run that is set against this one: per zone and group both figures and the change.",
        json_schema_extra=slot(
            "way",
            "Set against",
            "comparison",
            clause=Clause(text="set against {against}", rank=7),
            offer=Offer(
                label="Set against",
                hint="The same with another mode, hour, closed street or other places, and the difference",
            ),
        ),
    )
    candidates: FeatureSet | None = Field(
        None,
        description="Places that could be added: how many people each one gains within the middle limit,"
        " and which combination gains most.",
        json_schema_extra=place_word(
            "Candidates",
            nothing="no candidates",
            clause=Clause(text="adding the best {choose} of {candidates}", rank=6),
            offer=Offer(label="Try candidates", hint="Which of several places would help most"),
        ),
    )
    choose: int = Field(
        3,
        ge=1,
        le=20,
        description="How many candidates to add.",
        json_schema_extra=number_word("How many", "{}", "of the candidates", optional=True),
    )
