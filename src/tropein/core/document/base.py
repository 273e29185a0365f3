"""What every part of the document shares: strict models, ids, fractions, field metadata."""

from __future__ import annotations

import secrets
from fractions import Fraction
from typing import Annotated, Any

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints

ID_ALPHABET = "abcdefghjkmnpqrstuvwxyz23456789"


class Model(BaseModel):
    """A part of the document: unknown fields and non-finite numbers are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


ID_PATTERN = r"^[a-z0-9][a-z0-9-]{0,39}$"
HASH_PATTERN = r"^[0-9a-f]{32}$"
MOST_FRAMES = 1_000_000


def _storable(text: str) -> str:
    """The database and files take any character but the one numbered 0, and halves of one."""
    if "\x00" in text or not text.isprintable() and any("\ud800" <= c <= "\udfff" for c in text):
        raise ValueError("text may not hold the character 0, nor halves of a character")
    return text


Id = Annotated[str, StringConstraints(pattern=ID_PATTERN)]
Text = Annotated[str, AfterValidator(_storable)]
Name = Annotated[Text, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
ContentHash = Annotated[str, StringConstraints(pattern=HASH_PATTERN)]
Frame = Annotated[int, Field(ge=-MOST_FRAMES, le=MOST_FRAMES)]
FrameNumber = Annotated[int, Field(ge=0, le=MOST_FRAMES, description="a frame of a shot or of footage")]
Coordinate = Annotated[float, Field(ge=-1e6, le=1e6)]
Size = Annotated[tuple[int, int], Field(description="width and height in pixels")]


def new_id() -> str:
    """A short random id, easy to read aloud."""
    return "".join(secrets.choice(ID_ALPHABET) for _ in range(8))


def _check_rate(text: str) -> str:
    value = parse_rate(text)
    if not Fraction(1, 10) <= value <= 1000:
        raise ValueError("a frame rate must lie between 0.1 and 1000")
    return text


def parse_rate(text: str) -> Fraction:
    """`"24000/1001"` or `"24/1"` as a fraction; ValueError when it is neither."""
    top, _, bottom = text.partition("/")
    try:
        return Fraction(int(top), int(bottom or "1"))
    except ZeroDivisionError as error:
        raise ValueError("a frame rate cannot divide by zero") from error


Rate = Annotated[str, StringConstraints(pattern=r"^\d{1,9}/\d{1,9}$"), AfterValidator(_check_rate)]


def control(
    default: Any,
    title: str,
    *,
    soft: tuple[float, float] | None = None,
    step: float = 0.01,
    unit: str = "",
    help: str = "",
    hard: tuple[float | None, float | None] = (None, None),
    widget: str = "number",
    group: str = "",
) -> Any:
    """A field whose metadata is enough for the sheet to be drawn: range, step, unit, help.

    `soft` is the range a drag covers, `hard` the range that is accepted. `default` is a plain value; it is wrapped
    as a constant by the field's own type. `group`: a heading that it and those after it of the same group stand under.
    """
    extra: dict[str, Any] = {"step": step, "unit": unit, "widget": widget}
    if soft is not None:
        extra["soft"] = list(soft)
    extra["hard"] = list(hard)
    if group:
        extra["group"] = group
    return Field(
        default_factory=lambda: {"value": default},
        validate_default=True,
        title=title,
        description=help or None,
        json_schema_extra=extra,
    )


def setting(default: str, title: str, *, widget: str, options: dict[str, str] | None = None, help: str = "", group: str = "") -> Any:  # fmt: skip
    """A field that is set and not keyed: words, or one of some choices, each with what it is called."""
    extra: dict[str, Any] = {"widget": widget, "step": 0, "unit": "", "hard": [None, None]}
    if options:
        extra["options"] = options
    if group:
        extra["group"] = group
    return Field(default=default, title=title, description=help or None, json_schema_extra=extra)


def chosen_matte(title: str, help: str, group: str = "") -> Any:
    """A field that points at a matte, or at none; the pointer itself stands in its type."""
    return _chosen("matte", title, help, group)


def chosen_layer(title: str, help: str, group: str = "", none: str = "") -> Any:
    """A field that points at a layer with a picture, or at none, which may have a name of its own; the pointer itself stands in its type."""
    return _chosen("layer", title, help, group, none)


def chosen_table(title: str, help: str, group: str = "") -> Any:
    """A field that names a stored table of colours, or none."""
    return _chosen("table", title, help, group)


def chosen_font(title: str, help: str, group: str = "") -> Any:
    """A field that names a stored font, or none."""
    return _chosen("font", title, help, group)


def _chosen(widget: str, title: str, help: str, group: str, none: str = "") -> Any:
    extra: dict[str, Any] = {"widget": widget, "step": 0, "unit": "", "hard": [None, None]}
    if group:
        extra["group"] = group
    if none:
        extra["options"] = {"none": none}
    return Field(default=None, title=title, description=help, json_schema_extra=extra)


def listed(things: dict[str, Any], order: list[str], what: str) -> None:
    """Raises ValueError where a map by id and the list of its order do not agree."""
    if len(order) != len(things) or set(order) != set(things):
        raise ValueError(f"the order of {what} must name each of them exactly once")
    for key, thing in things.items():
        if thing.id != key:
            raise ValueError(f"{what}: {key} carries the id {thing.id}")
