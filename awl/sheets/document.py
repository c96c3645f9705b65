"""A sheet as a document: questions, prose, blanks and forms, as JSON with a version of its own (docs/sheets.md)."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError, field_validator, model_validator

from awl.core.errors import AwlError
from awl.questions.inputs import Json

VERSION = 1
"""The version of the documents that this program writes, and the newest that it reads."""
MOST_BLOCKS, MOST_BLANKS, MOST_FORMS = 500, 60, 20
MOST_BYTES = 8 << 20
LONGEST_TEXT, LONGEST_TITLE = 20_000, 300
FILES = ("xlsx", "csv", "geojson", "gpkg", "parquet")
"""Formats of tables that a form can give away."""
MAPS = ("pdf", "png", "svg")
"""Formats of maps that a form can give away."""

Ident = Annotated[str, Field(min_length=1, max_length=200)]
Name = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


class Model(BaseModel):
    """Base of the models here."""

    model_config = ConfigDict(extra="forbid")


class Text(Model):
    """A heading or a line of prose."""

    id: Ident
    kind: Literal["prose", "heading"]
    text: str = Field(default="", max_length=LONGEST_TEXT)


class Look(Model):
    """What a row of the legend looks like where the analyst chose it.

    Attributes:
        label: what it says.
        colour: its colour, such as #1f6f8b.
        width: how many times as wide as usual its lines are.
    """

    label: str | None = Field(default=None, max_length=LONGEST_TITLE)
    colour: str | None = Field(default=None, pattern="^#[0-9a-fA-F]{6}$")
    width: float | None = Field(default=None, ge=0.1, le=10)


class QuestionBlock(Model):
    """A question.

    Attributes:
        id: the name its answer is kept under.
        process: which question it is.
        inputs: what is asked.
        title: a name of its own.
        look: looks of rows of its legend by their ids.
        order: rows of its legend in the order in which they are drawn.
    """

    id: Ident
    kind: Literal["question"]
    process: str = Field(max_length=80)
    inputs: Json
    title: str | None = Field(default=None, max_length=LONGEST_TITLE)
    look: dict[str, Look] | None = None
    order: list[str] | None = None


Block = Annotated[Text | QuestionBlock, Field(discriminator="kind")]


class Blank(Model):
    """A changeable word of a question that a form asks for, and that `awl run --set` fills.

    Attributes:
        name: what it is set by.
        question: the id of its question.
        input: the input that the word is.
        label: what it is called on a form.
        help: what to know when filling it in.
        least, most: bounds of a number.
        options: the values that may be chosen; all there are where None.
        empty: whether it begins empty; it begins with what the sheet says otherwise.
        several: whether a place can be several points.
    """

    name: Name
    question: Ident
    input: str = Field(min_length=1, max_length=80)
    label: str = Field(default="", max_length=120)
    help: str = Field(default="", max_length=500)
    least: float | None = None
    most: float | None = None
    options: list[str] | None = Field(default=None, min_length=1, max_length=100)
    empty: bool = False
    several: bool = False

    @model_validator(mode="after")
    def _bounds_are_in_order(self) -> Blank:
        if self.least is not None and self.most is not None and self.least > self.most:
            raise ValueError(f"the least of '{self.name}' is more than its most")
        return self

    @property
    def called(self) -> str:
        """What it is called, in words."""
        return self.label or self.name.replace("_", " ").capitalize()


class Shown(Model):
    """What a form shows of a question, and gives away.

    Attributes:
        question: the id of the question.
        figures, map: whether its key figures and its map are shown.
        tables: parts that are shown as tables, and that can be had as files.
        files: formats in which those can be had.
        maps: formats in which the map sheet can be had.
    """

    question: Ident
    figures: bool = True
    map: bool = True
    tables: list[str] = Field(default=[], max_length=20)
    files: list[Literal["xlsx", "csv", "geojson", "gpkg", "parquet"]] = []
    maps: list[Literal["pdf", "png", "svg"]] = []


class Form(Model):
    """A page for colleagues, who fill in blanks and get what its author chose.

    Attributes:
        id: the last part of its address.
        title: what it is called.
        text: what it is for.
        author: who made it.
        assumes: what it rests on, in the words of its author.
        asks: names of the blanks it asks for, in this order; the others stay what the sheet says.
        shows: what it shows, in this order.
    """

    id: Name
    title: str = Field(min_length=1, max_length=120)
    text: str = Field(default="", max_length=2000)
    author: str = Field(default="", max_length=120)
    assumes: str = Field(default="", max_length=2000)
    asks: list[Name] = Field(default=[], max_length=MOST_BLANKS)
    shows: list[Shown] = Field(default=[], max_length=MOST_BLOCKS)


class Sheet(Model):
    """The body of a sheet."""

    title: str = Field(default="", max_length=LONGEST_TITLE)
    blocks: list[Block] = Field(default=[], max_length=MOST_BLOCKS)
    blanks: list[Blank] = Field(default=[], max_length=MOST_BLANKS)
    forms: list[Form] = Field(default=[], max_length=MOST_FORMS)

    @field_validator("title")
    @classmethod
    def _one_line(cls, value: str) -> str:
        return re.sub(r"\s+", " ", value).strip()

    @model_validator(mode="after")
    def _names_are_unique(self) -> Sheet:
        for what, names in (
            ("blocks", [block.id for block in self.blocks]),
            ("blanks", [blank.name for blank in self.blanks]),
            ("forms", [form.id for form in self.forms]),
        ):
            twice = next((name for name in names if names.count(name) > 1), None)
            if twice is not None:
                raise ValueError(f"two {what} are called '{twice}'")
        return self

    @property
    def questions(self) -> list[QuestionBlock]:
        """Its questions in their order."""
        return [block for block in self.blocks if isinstance(block, QuestionBlock)]

    def question(self, ident: str) -> QuestionBlock | None:
        """A question by its id, None where it is gone."""
        return next((block for block in self.questions if block.id == ident), None)

    def blank(self, name: str) -> Blank | None:
        """A blank by its name, None where it is gone."""
        return next((blank for blank in self.blanks if blank.name == name), None)

    def form(self, ident: str) -> Form:
        """A form by its id.

        Raises:
            AwlError: there is none of that id.
        """
        known = next((form for form in self.forms if form.id == ident), None)
        if known is None:
            raise AwlError(
                f"The sheet has no form '{ident[:80]}'",
                remedy=f"Forms are: {', '.join(form.id for form in self.forms) or 'none'}",
                status=404,
                kind="no-such-form",
            )
        return known

    def body(self) -> Json:
        """As it is recorded."""
        return self.model_dump(mode="json", exclude_none=True)


SHEET = TypeAdapter(Sheet)


def sheet_of(document: Any, where: str = "") -> Sheet:
    """The body of a sheet, as it is recorded or sent by a browser.

    Parameters:
        document: the parsed JSON; members that say what a sheet is recorded under are left aside.
        where: what it is called in messages.

    Raises:
        AwlError: it is none; says which member is wrong.
    """
    own = document
    if isinstance(document, dict):
        own = {key: value for key, value in document.items() if key not in ("id", "changed", "undo")}
    if not isinstance(own, dict) or not isinstance(own.get("blocks"), list):
        raise AwlError("A sheet has a list of blocks, each with an id", where=where, inputs=("blocks",))
    try:
        return SHEET.validate_python(own)
    except ValidationError as error:
        fault = error.errors()[0]
        place = ".".join(str(part + 1 if isinstance(part, int) else part) for part in fault["loc"])
        text = str(fault["msg"]).removeprefix("Value error, ")
        raise AwlError(
            f"{place or 'The sheet'}: {text}", where=where, remedy="See docs/sheets.md",
            inputs=(str(fault["loc"][0]),) if fault["loc"] else (),
        ) from error  # fmt: skip


def read_document(document: Any, where: str) -> Sheet:
    """A sheet from a sheet file.

    Parameters:
        document: the parsed JSON.
        where: what it is called in messages.

    Raises:
        AwlError: it is no sheet file, one of a newer version, or faulty.
    """
    if not isinstance(document, dict) or "awl_sheet" not in document:
        raise AwlError("It is no sheet file of Awl: 'awl_sheet' is missing", where=where, remedy="Export a sheet")
    version = document["awl_sheet"]
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise AwlError(f"'awl_sheet' is {str(version)[:40]!r}, not the number of a version", where=where)
    if version > VERSION:
        raise AwlError(
            f"The sheet is of version {version}, this Awl reads up to {VERSION}", where=where, remedy="Use a newer Awl"
        )
    return sheet_of(
        {key: value for key, value in document.items() if key not in ("awl_sheet", "made_by", "study")}, where
    )


def written_document(sheet: Sheet, study_title: str, version: str) -> Json:
    """A sheet as a sheet file.

    Parameters:
        sheet: the sheet.
        study_title: the study it is of, for those who read it.
        version: of the program that writes it.
    """
    return {"awl_sheet": VERSION, "made_by": f"Awl {version}", "study": study_title, **sheet.body()}
