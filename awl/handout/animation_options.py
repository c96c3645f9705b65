"""What an animation shows, and how large it is."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

CLOCK = r"^\d{1,2}:[0-5]\d$"


class AnimationOptions(BaseModel):
    """What an animation shows, and how large it is."""

    model_config = ConfigDict(extra="forbid")

    width: int = Field(900, ge=320, le=1600, description="Pixels across.")
    begin: str | None = Field(None, pattern=CLOCK, description="The first time of the day, such as 13:00.")
    end: str | None = Field(None, pattern=CLOCK, description="The last one.")
    step: float | None = Field(
        None, gt=0, le=60, description="Minutes between two pictures; as many as make some hundred where left out."
    )
    per_second: float = Field(12, ge=1, le=25, description="Pictures in a second.")
    loop: bool = Field(True, description="Whether it begins anew at its end.")
