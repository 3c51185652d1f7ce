"""Away from the network: a package is taken along as one file that needs no server, and its results are brought back, each signed
once, whatever others did meanwhile."""

from __future__ import annotations

import hashlib
import json
import secrets
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from enum import StrEnum
from typing import Annotated, Any, Literal

from flask import Response, jsonify, request
from pydantic import ConfigDict, Field
from sqlalchemy import Connection

from canaleta.core.checks.ladder import BY_HAND, SWAP, Rung, Step
from canaleta.core.hardware.settings import trips_of
from canaleta.core.model.image import PlantImage
from canaleta.core.signals.signal_types import Family
from canaleta.plant.changes import climbing
from canaleta.plant.changes.climbing import Signing, keep_signed
from canaleta.plant.checks import brought, punches
from canaleta.plant.checks.acceptance import LOOP_KINDS, newest_checks
from canaleta.plant.checks.brought import LAID_ASIDE, SIGNED, WAITS, Brought
from canaleta.plant.checks.rungs import changed_since
from canaleta.plant.database.connection import take_plant_lock
from canaleta.plant.database.locks import PACKAGE_LOCK, LockedError, held, hold, let_go, refuse_locked
from canaleta.plant.live import temporary
from canaleta.plant.records.plant import plant_name
from canaleta.web.checks.away_points import plant_away, points_away, with_pages
from canaleta.web.checks.judging import KINDS, SignCheckIn, document_of, judged_of, outcome_out
from canaleta.web.checks.packages import PackagePath, package_named
from canaleta.web.checks.with_instrument import refuse_instrument
from canaleta.web.kit.access import needs, session_now
from canaleta.web.kit.photos import MOST_PHOTO, refuse_photo
from canaleta.web.kit.problems import PROBLEMS, ProblemError
from canaleta.web.kit.routes import Shape, routes
from canaleta.web.kit.shared import shared
from canaleta.web.kit.signing import proved

__all__ = ["api"]

api = routes("away", __name__, url_prefix="/api", abp_responses=PROBLEMS)
Key = Annotated[str, Field(min_length=8, max_length=64, pattern=r"^[A-Za-z0-9-]+$")]
Moment = Annotated[str, Field(min_length=16, max_length=40)]
CLOCK = timedelta(minutes=10)
"""How far a tablet's clock may be ahead of the plant's."""
EARLIEST = datetime(2000, 1, 1, tzinfo=UTC)
MOST_RESULTS = 200


class Trouble(StrEnum):
    """Why a result is not signed at once."""

    AGAIN = "again"
    ALTERED = "altered"
    GONE = "gone"
    CHANGED = "changed"
    INCOMPLETE = "incomplete"
    HELD = "held"
    OPEN = "temporary"
    TRIPS = "trips"
    INSTRUMENT = "instrument"
    DOUBT = "doubt"
    CLOCK = "clock"
    PHOTO = "photo"
    SENSE = "not understood"
    OTHER = "other point"


class ResultIn(SignCheckIn):
    """A test that was done away: what a check is signed with, its own code, its point with its tag, and when it was read. seq: the
    list that was taken along."""

    name: str = Field("", max_length=80)
    key: Key
    point: int = Field(ge=0, le=2**62)
    tag: str = Field(max_length=200)
    read_at: Moment
    tester: str = Field(min_length=1, max_length=80)


class AwayPunchIn(Shape):
    """Something to be mended that was seen away."""

    model_config = ConfigDict(extra="forbid")

    key: Key
    point: int = Field(ge=0, le=2**62)
    read_at: Moment
    tester: str = Field(min_length=1, max_length=80)
    what: str = Field(min_length=1, max_length=1000)
    severity: Literal["A", "B", "C"]
    owner: str = Field("", max_length=80)
    photo: str = Field("", max_length=MOST_PHOTO, pattern=r"^[A-Za-z0-9+/]*={0,2}$")


class AwayMarkIn(Shape):
    """A rung that was reached away."""

    model_config = ConfigDict(extra="forbid")

    key: Key
    point: int = Field(ge=0, le=2**62)
    read_at: Moment
    tester: str = Field(min_length=1, max_length=80)
    rung: Literal["wired", "continuity", "powered"]


class BroughtIn(Shape):
    """What comes back: some of the results of a package of a plant; a large file is brought in several parts."""

    model_config = ConfigDict(extra="forbid")

    plant: str = Field(min_length=1, max_length=200)
    package: str = Field(min_length=1, max_length=60)
    results: list[ResultIn] = Field(default_factory=list, max_length=MOST_RESULTS)
    punches: list[AwayPunchIn] = Field(default_factory=list, max_length=MOST_RESULTS)
    marks: list[AwayMarkIn] = Field(default_factory=list, max_length=MOST_RESULTS)


class BringIn(BroughtIn):
    """The same, to be signed: the password once more."""

    password: str = Field("", max_length=200)


class BroughtOut(Shape):
    """What becomes of one result. state: fresh (it would be signed), signed, again (it was brought before), waits (kept, not
    signed); code, says: why; verdict: of a test, in words; since: what others signed at the point after it was read, '' for
    nothing."""

    key: str
    point: int
    tag: str
    what: str
    read_at: str
    tester: str
    state: str
    code: str
    says: str
    verdict: str
    since: str
    record: int


class BroughtListOut(Shape):
    """What becomes of results, in their order."""

    results: list[BroughtOut]


class AwayIn(Shape):
    """How a package is taken along. hold: nobody else works on its points meanwhile."""

    model_config = ConfigDict(extra="forbid")

    hold: bool = True


class LayAsideIn(Shape):
    """Why a result is not signed."""

    model_config = ConfigDict(extra="forbid")

    why: str = Field(max_length=400)


class ResignIn(Shape):
    """The password once more, for a result that waited. doubts_seen: figures that look mistyped were read so."""

    model_config = ConfigDict(extra="forbid")

    password: str = Field("", max_length=200)
    doubts_seen: bool = False
    inhibited: bool = False


class KeyPath(Shape):
    """A result by its code."""

    key: Key


class LetGoOut(Shape):
    """Who still has the package, '' for nobody."""

    away: str


@api.post("/packages/<string:name>/away", responses={200: {"content": {"application/json": {}}}})
@needs("edit")
def take_along(path: PackagePath, body: AwayIn) -> Response:
    """Take a package along: all that is needed to test its points without a server, as JSON; /away/NAME is the page that holds
    it. Its points are kept for whoever takes it."""
    package = package_named(path.name)
    image = shared().image()
    there = [point for point in package.points if image.has(point)]
    if not there:
        raise ProblemError(409, "none of its points is in the list", "nothing was taken along", "choose its points")
    if body.hold:
        with shared().engine.begin() as connection:
            hold(connection, there, session_now().account, f"package {package.name}", PACKAGE_LOCK)
    document = plant_away(package.name) | {
        "code": secrets.token_hex(8),
        "who": session_now().account,
        "seq": image.seq,
        "points": with_pages(image, points_away(image, there)),
    }
    return jsonify(document)


@api.get("/packages/<string:name>/sheets.pdf", responses={200: {"content": {"application/pdf": {}}}})
@needs("read")
def sheets(path: PackagePath) -> Response:
    """The package on paper: a page a point to be filled in, with a code that opens its page here."""
    # Taken in here: what draws it takes a fifth of a worker's start, and most workers draw none.
    from canaleta.exchange.work_sheets import work_sheets

    package, image = package_named(path.name), shared().image()
    there = [point for point in package.points if image.has(point)]
    days = " to ".join(day for day in (package.begins, package.ends) if day)
    plant = str(plant_away(package.name)["plant"])
    made = work_sheets(
        plant, package.name, ", ".join(package.people), days, points_away(image, there), request.url_root
    )
    response = Response(made, content_type="application/pdf")
    response.headers["Content-Disposition"] = 'inline; filename="sheets.pdf"'
    return response


@api.delete("/packages/<string:name>/away", responses={200: LetGoOut})
@needs("edit")
def let_it_go(path: PackagePath) -> Response:
    """Let go of the points of a package that one took along; an administrator lets go of anybody's."""
    package = package_named(path.name)
    with shared().engine.begin() as connection:
        session = session_now()
        anybodys = session.role == "administrator"
        let_go(connection, package.points, session.account, PACKAGE_LOCK, anybodys=anybodys)
        locks = held(connection)
    left = sorted({locks[p].who for p in package.points if p in locks and locks[p].kind == PACKAGE_LOCK})
    return jsonify(LetGoOut(away=", ".join(left)).model_dump())


@api.post("/away/look", responses={200: BroughtListOut})
@needs("look")
def look(body: BroughtIn) -> Response:
    """What bringing results back would do, with nothing written."""
    _of_this_plant(body)
    image = shared().image()
    with shared().engine.connect() as connection:
        seen = brought.known(connection, _keys(body))
        out = [_looked(connection, image, r, seen.get(r.key)) for r in body.results]
        out += [_plain(image, x, seen.get(x.key), f"punch item {x.severity}: {x.what}") for x in body.punches]
        out += [_plain(image, x, seen.get(x.key), x.rung) for x in body.marks]
    return jsonify(BroughtListOut(results=out).model_dump())


@api.post("/away/bring", responses={200: BroughtListOut})
@needs("edit")
def bring(body: BringIn) -> Response:
    """Bring results back: those in whose way nothing stands are signed, the others wait. Each is written by itself, so that what
    was taken before a breakdown stays, and the file can be brought again."""
    _of_this_plant(body)
    proved(body.password)
    out = [_brought(body.package, result) for result in body.results]
    out += [_brought_punch(body.package, x) for x in body.punches]
    out += [_brought_mark(body.package, x) for x in body.marks]
    return jsonify(BroughtListOut(results=out).model_dump())


@api.get("/away/waiting", responses={200: BroughtListOut})
@needs("read")
def waiting() -> Response:
    """Results that were brought back and wait for somebody to look."""
    image = shared().image()
    with shared().engine.connect() as connection:
        out = []
        for one in brought.waiting(connection):
            told = _looked(connection, image, ResultIn.model_validate(one.body), None)
            out.append(told.model_copy(update={"state": WAITS, "says": told.says or one.why}))
    return jsonify(BroughtListOut(results=out).model_dump())


@api.post("/away/waiting/<string:key>/sign", responses={200: BroughtListOut})
@needs("edit")
def sign_waiting(path: KeyPath, body: ResignIn) -> Response:
    """Sign a result that waited, now that nothing stands in its way."""
    proved(body.password)
    with shared().engine.begin() as connection:
        take_plant_lock(connection)
        one = _waiting(connection, path.key)
        more = {"doubts_seen": body.doubts_seen, "inhibited": body.inhibited}
        result = ResultIn.model_validate(one.body | {k: v for k, v in more.items() if v})
        image = shared().cache.caught_up(connection)
        told, after = _signed(connection, image, one.package, result)
        if told.state != SIGNED:
            raise ProblemError(409, told.says, "nothing was signed; the result still waits", "settle that first")
    shared().cache.adopt(after)
    return jsonify(BroughtListOut(results=[told]).model_dump())


@api.post("/away/waiting/<string:key>/aside", responses={200: BroughtListOut})
@needs("edit")
def lay_aside(path: KeyPath, body: LayAsideIn) -> Response:
    """Lay a result aside that shall not be signed; it stays on record with the reason."""
    if not body.why.strip():
        raise ProblemError(422, "why is it not signed?", "nothing was changed", "say it in a few words")
    with shared().engine.begin() as connection:
        one = _waiting(connection, path.key)
        brought.settle(connection, one.key, LAID_ASIDE, f"{session_now().account}: {body.why.strip()}")
    image = shared().image()
    told = _told(image, ResultIn.model_validate(one.body), LAID_ASIDE, says=body.why.strip())
    return jsonify(BroughtListOut(results=[told]).model_dump())


def _waiting(connection: Connection, key: str) -> Brought:
    one = brought.by_key(connection, key)
    if one is None:
        raise ProblemError(404, "there is no such result")
    if one.state != WAITS:
        raise ProblemError(409, f"this result is {one.state} already", "nothing was changed", "reload the page")
    return one


def _of_this_plant(body: BroughtIn) -> None:
    """Raise ProblemError for results of another plant: its numbers of points are other points here."""
    with shared().engine.connect() as connection:
        here = plant_name(connection)
    if body.plant != here:
        raise ProblemError(
            409,
            f"these results are of {body.plant}, and this is {here}",
            "nothing was taken",
            "bring them to their own plant",
        )


def _keys(body: BroughtIn) -> list[str]:
    return [*(x.key for x in body.results), *(x.key for x in body.punches), *(x.key for x in body.marks)]


@dataclass(frozen=True)
class _Refused:
    code: Trouble
    says: str


def _refusal(connection: Connection, image: PlantImage, result: ResultIn) -> _Refused | None:
    """Why a result cannot be signed as it is; None where it can."""
    if not image.has(result.point):
        return _Refused(Trouble.GONE, "its point is no longer in the list")
    row = image.row_of(result.point)
    label = image.label(row)
    if result.tag != image.cells["tag"][row]:
        return _Refused(Trouble.OTHER, f"it was read at {result.tag}, and that point is called {label} here")
    read_at = _moment(result.read_at)
    if read_at is None or read_at > datetime.fromtimestamp(shared().clock.looked_lately(), UTC) + CLOCK:
        return _Refused(Trouble.CLOCK, f"it says that it was read at {result.read_at}: is the tablet's clock right?")
    if changed_since(connection, image, {result.point: result.seq}):
        return _Refused(Trouble.CHANGED, f"{label} was changed after the package was taken along: test it again")
    lock = held(connection).get(result.point)
    if lock is not None and lock.who != session_now().account:
        return _Refused(Trouble.HELD, lock.words)
    if open_ := temporary.open_of(connection, result.point):
        told = "; ".join(f"{x.kind} of {x.who}" for x in open_)
        return _Refused(Trouble.OPEN, f"a temporary change is open at {label}: {told}")
    if trips_of(image, row) and image.text("trips", row) and not result.inhibited:
        return _Refused(Trouble.TRIPS, f"{label} shuts {image.text('trips', row)}: was it inhibited?")
    try:
        refuse_photo(result.photo)
    except ProblemError as error:
        return _Refused(Trouble.PHOTO, str(error))
    return None


def _judged(image: PlantImage, result: ResultIn) -> tuple[Signing | None, _Refused | None, str]:
    """What is signed of a result, or why not, and the verdict in words."""
    row = image.row_of(result.point)
    body: SignCheckIn = result
    try:
        outcome = judged_of(image, row, body)
        out = outcome_out(image, row, outcome, body)
    except ProblemError as error:
        return None, _Refused(Trouble.SENSE, str(error)), ""
    found = f"{result.phase}, " if result.phase else ""
    verdict = f"{found}{'passed' if out.passes else 'failed'}: {out.says}"
    if not outcome.complete:
        return None, _Refused(Trouble.INCOMPLETE, "not every step was read"), out.says
    if out.told:
        return None, _Refused(Trouble.INSTRUMENT, out.told), verdict
    if out.doubts and not result.doubts_seen:
        asks = next(step.asks for step in out.steps if step.doubt)
        return None, _Refused(Trouble.DOUBT, asks), verdict
    if image.family[row] != Family.CONTACT:
        try:
            body = body.model_copy(update=refuse_instrument(body.instrument, body.serial, body.due))
        except ProblemError as error:
            return None, _Refused(Trouble.INSTRUMENT, str(error)), verdict
    document = document_of(image, row, outcome, body, out)
    document["lines"] = [
        *document["lines"],
        f"read away from the network by {result.tester} at {result.read_at}, brought back by {session_now().account}",
    ]
    read_at = _moment(result.read_at)
    document |= {"read_at": read_at.isoformat() if read_at else "", "tester": result.tester, "away": result.key}
    return (
        Signing(KINDS[outcome.test], (result.point,), verdict, document, out.passes is True, image.seq),
        None,
        verdict,
    )


def _looked(connection: Connection, image: PlantImage, result: ResultIn, seen: Brought | None) -> BroughtOut:
    if seen is not None:
        return _again(image, result, seen)
    refused = _refusal(connection, image, result)
    verdict, since = "", ""
    if image.has(result.point):
        signing, unjudged, verdict = _judged(image, result)
        refused = refused or unjudged
        since = _since(connection, result) if signing is not None else ""
    if refused is not None:
        return _told(image, result, WAITS, refused, verdict=verdict, since=since)
    return _told(image, result, "fresh", verdict=verdict, since=since)


def _since(connection: Connection, result: ResultIn) -> str:
    """What was signed at a point after a result was read, in words."""
    one = newest_checks(connection, [result.point], (*LOOP_KINDS, SWAP)).get(result.point)
    read_at = _moment(result.read_at)
    if one is None or read_at is None or one.read_at <= read_at:
        return ""
    return f"record {one.id} of {one.name} is newer ({one.verdict}): this one is kept beside it and moves nothing"


def _brought(package: str, result: ResultIn) -> BroughtOut:
    """One result, in a transaction of its own."""
    with shared().engine.begin() as connection:
        take_plant_lock(connection)
        image = shared().cache.caught_up(connection)
        seen = brought.known(connection, [result.key]).get(result.key)
        if seen is not None:
            return _again(image, result, seen)
        told, after = _signed(connection, image, package, result)
    shared().cache.adopt(after)
    return told


def _signed(
    connection: Connection, image: PlantImage, package: str, result: ResultIn
) -> tuple[BroughtOut, PlantImage]:
    """Sign a result, or keep it waiting; within the caller's transaction, which holds the plant's lock."""
    refused, signing, verdict = _refusal(connection, image, result), None, ""
    if image.has(result.point):
        signing, unjudged, verdict = _judged(image, result)
        refused = refused or unjudged
    one = _row(package, result, WAITS if refused else SIGNED, refused.says if refused else "")
    new = brought.claim(connection, one)
    if refused is not None or signing is None:
        if not new:
            brought.settle(connection, result.key, WAITS, one.why)
        return _told(image, result, WAITS, refused, verdict=verdict), image
    since = _since(connection, result)
    newest = not since or signing.kind not in LOOP_KINDS
    signing = Signing(**{**signing.__dict__, "climbs": newest})
    made, after = keep_signed(connection, image, signing, session_now().account, result.tester)
    brought.settle(connection, result.key, SIGNED, "", made.id)
    let_go(connection, [result.point], session_now().account, PACKAGE_LOCK)
    return _told(after, result, SIGNED, verdict=verdict, since=since, record=made.id), after


def _brought_punch(package: str, item: AwayPunchIn) -> BroughtOut:
    image, what, says = shared().image(), f"punch item {item.severity}: {item.what}", ""
    try:
        refuse_photo(item.photo)
    except ProblemError as error:
        # The item is worth more than its photo, and the rest of the file must not wait for it.
        item, says = item.model_copy(update={"photo": ""}), f"{error}: the item is kept without it"
    with shared().engine.begin() as connection:
        if not brought.claim(connection, _row(package, item, SIGNED, "")):
            return _plain(image, item, brought.known(connection, [item.key])[item.key], what)
        number = punches.raise_item(
            connection, point=item.point if image.has(item.point) else 0, place="" if image.has(item.point) else package,
            what=item.what.strip(), severity=item.severity, owner=item.owner.strip(), who=session_now().account,
            photo=item.photo,
        )  # fmt: skip
        brought.settle(connection, item.key, SIGNED, "", number)
    return _plain(image, item, None, what).model_copy(update={"state": SIGNED, "record": number, "says": says})


def _brought_mark(package: str, mark: AwayMarkIn) -> BroughtOut:
    image = shared().image()
    rung = next(r for r in Rung if r.words == mark.rung)
    assert rung in BY_HAND
    if not image.has(mark.point):
        return _plain(image, mark, None, mark.rung).model_copy(
            update={"state": LAID_ASIDE, "code": str(Trouble.GONE), "says": "its point is no longer in the list"}
        )
    try:
        with shared().engine.begin() as connection:
            take_plant_lock(connection)
            if not brought.claim(connection, _row(package, mark, SIGNED, "")):
                return _plain(image, mark, brought.known(connection, [mark.key])[mark.key], mark.rung)
            image = shared().cache.caught_up(connection)
            refuse_locked(connection, [mark.point], session_now().account)
            how = f"read away by {mark.tester} at {mark.read_at}, package {package}"
            after = climbing.climb(
                connection, image, {mark.point: [Step(rung, True)]}, session_now().account, mark.tester, how, 0
            )
    except LockedError as error:
        return _plain(image, mark, None, mark.rung).model_copy(
            update={"state": WAITS, "code": str(Trouble.HELD), "says": f"{error}: bring the file again later"}
        )
    shared().cache.adopt(after)
    return _plain(after, mark, None, mark.rung).model_copy(update={"state": SIGNED})


Item = ResultIn | AwayPunchIn | AwayMarkIn


def _row(package: str, item: Item, state: str, why: str) -> Brought:
    body = item.model_dump()
    now = datetime.now(UTC)
    # A clock that is far off is told; what is kept of it is a moment that every program can read.
    read_at = min(max(_moment(item.read_at) or now, EARLIEST), now + CLOCK)
    return Brought(
        key=item.key, at=read_at, package=package, point=item.point, who=session_now().account, tester=item.tester,
        read_at=read_at, state=state, why=why, record=0, body=body,
    )  # fmt: skip


def _again(image: PlantImage, item: Item, seen: Brought) -> BroughtOut:
    if _digest(seen.body) != _digest(item.model_dump()):
        says = "a result with this code was brought before and says something else: nothing was taken"
        return _told(image, item, "again", _Refused(Trouble.ALTERED, says), record=seen.record)
    told = {SIGNED: f"signed as record {seen.record}", WAITS: f"it waits: {seen.why}"}.get(seen.state, seen.state)
    return _told(image, item, "again", _Refused(Trouble.AGAIN, f"brought before: {told}"), record=seen.record)


def _digest(body: dict[str, Any]) -> str:
    return hashlib.sha256(json.dumps(body, sort_keys=True).encode()).hexdigest()


def _plain(image: PlantImage, item: AwayPunchIn | AwayMarkIn, seen: Brought | None, what: str) -> BroughtOut:
    told = _told(image, item, "fresh") if seen is None else _again(image, item, seen)
    return told.model_copy(update={"what": what})


def _told(
    image: PlantImage,
    item: Item,
    state: str,
    refused: _Refused | None = None,
    *,
    says: str = "",
    verdict: str = "",
    since: str = "",
    record: int = 0,
) -> BroughtOut:
    return BroughtOut(
        key=item.key, point=item.point, tag=image.label(image.row_of(item.point)) if image.has(item.point) else "",
        what=f"{item.test} test" if isinstance(item, ResultIn) else "", read_at=item.read_at, tester=item.tester,
        state=state, code=str(refused.code) if refused else "", says=refused.says if refused else says,
        verdict=verdict, since=since, record=record,
    )  # fmt: skip


def _moment(text: str) -> datetime | None:
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        return None
    return at if at.tzinfo else at.replace(tzinfo=UTC)
