"""What every part of a definition is made of: closed records with checked fields."""

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

Id = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]*$", max_length=40)]
Frac = Annotated[float, Field(ge=0, le=1)]
Pct = Annotated[float, Field(ge=0, le=100)]
Consistency = Annotated[float, Field(gt=0, le=100)]


class Part(BaseModel):
    """A record of the definition: no unknown fields, never changed."""

    model_config = ConfigDict(extra="forbid", frozen=True)
