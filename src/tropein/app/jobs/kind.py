"""Kinds of work in the background, each one file in jobs/work: its arguments, how it is cut into parts, what it stores."""

from __future__ import annotations

from typing import Any, ClassVar, NamedTuple

from pydantic import ConfigDict, ValidationError
from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.outcome import Outcome
from tropein.app.jobs.queue import defer
from tropein.app.store import runs
from tropein.app.store.models import RunRow
from tropein.core.document import Id
from tropein.core.document.kinds import Family, Kind
from tropein.core.document.upgrade import explain
from tropein.core.errors import BadInput, NotFound


class Begun(NamedTuple):
    """What a run is called, how many frames or the like it goes through (0: not known yet), and those of the parts it is cut into, first and
    last; without parts it is done in one go."""

    title: str
    total: int = 0
    parts: tuple[tuple[int, int], ...] = ()


class WorkBase(Kind):
    """The arguments of some work, as its run's row keeps them. Rows are the truth: each method may be called again, on another machine, after
    a worker died."""

    model_config = ConfigDict(extra="ignore")  # rows of before may hold more
    title: ClassVar[str] = ""
    soon: ClassVar[bool] = False  # short, and someone waits for it: workers have a place for such beside their slots
    of_shot: ClassVar[bool] = True  # it may be asked for, for a shot, by its name; else only from where it belongs

    kind: str
    shot: Id | None = None

    def begin(self, session: Session) -> Begun:
        """Whether it can be done; may settle arguments that were left open. BadInput, NotFound."""
        raise NotImplementedError

    def run(self, context: WorkContext, run_id: str) -> Outcome:
        """All of it, where it has no parts."""
        raise BadInput(f"Work of the kind {self.kind} cannot be done here: it is not installed.")

    def part(self, context: WorkContext, run_id: str, number: int) -> Outcome | None:
        """One of its parts; the last one to end queues the finish."""
        raise NotImplementedError

    def finish(self, context: WorkContext, run_id: str) -> Outcome:
        """What is left once all parts are done."""
        raise NotImplementedError

    def tidy(self, context: WorkContext, run_id: str) -> None:
        """Called once the run has ended for good, however it ended."""


WORKS: Family[WorkBase] = Family("kind of work", "tropein.app.jobs.work", WorkBase)


def of_row(row: RunRow) -> WorkBase:
    """The work of a run; one that cannot be done where its arguments do not fit any more."""
    try:
        return WORKS.read({**row.params, "kind": row.kind})
    except ValidationError:
        return WORKS.unknown(kind=row.kind, shot=row.shot_id)


def start(session: Session, work: WorkBase) -> RunRow:
    """Queue work, once it can be done."""
    begun = work.begin(session)
    params = work.model_dump(mode="json", exclude={"kind"})
    row = runs.create(session, work.kind, begun.title, params, begun.total, work.shot)
    queue(session, row, runs.add_parts(session, row.id, begun.parts))
    session.refresh(row)
    return row


def queue(session: Session, row: RunRow, parts: list[int]) -> None:
    """Wake workers up for a run, or for parts of it."""
    if not parts:
        defer(session, row.kind, WORKS.of(row.kind).soon, run_id=row.id)
    for number in parts:
        defer(session, "part", run_id=row.id, number=number)


def wanted(kind: str, shot: str, arguments: dict[str, Any]) -> WorkBase:
    """Work on a shot by the name of its kind. NotFound where there is no such kind, BadInput where the arguments do not fit."""
    if not WORKS.of(kind).of_shot or WORKS.of(kind).unknown:
        raise NotFound(f"There is no work of the kind {kind!r}.")
    try:
        return WORKS.of(kind).model_validate({**arguments, "kind": kind, "shot": shot})
    except ValidationError as error:
        raise BadInput(f"{kind}: {explain(error)}") from error
