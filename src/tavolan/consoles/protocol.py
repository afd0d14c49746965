"""The shapes that go over the wire between Tavolan and a console: JSON over HTTP, described in docs/console.md.

Locales are BCP 47 tags, fields are the ids of the store's rulebook, digests are SHA-256 as hexadecimal digits.
"""

from datetime import date, datetime
from typing import Annotated, Generic, Literal, TypeVar

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, StrictBool

T = TypeVar("T")
Text = str | list[str]
# What a fact holds: a text, an answer, a record of texts or answers. Numbers aren't taken for answers.
Fact = StrictBool | str | list[str] | dict[str, str | StrictBool]
Sha256 = Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
Name = Annotated[str, Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]{0,79}$")]
VersionState = Literal["editable", "waiting", "in review", "approved", "refused", "live", "replaced"]
Release = Literal["manual", "automatic", "date"]
# Of picture sets: shots of a size class, one graphic, or a video with its still picture.
SetKind = Literal["shots", "graphic", "video"]
# What the places of videos begin with.
VIDEO = "video-"
EDITABLE: tuple[VersionState, ...] = ("editable", "refused")


class Shape(BaseModel):
    """Base of all shapes: parts that aren't known are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Page(Shape, Generic[T]):
    """A part of a list; `next` is the cursor of the following part, null at the end."""

    items: list[T]
    next: str | None = None


class Token(Shape):
    """A short-lived bearer token (RFC 6749, client credentials); `expires_in` in seconds."""

    access_token: str
    # Its case doesn\'t count (RFC 6749, section 5.1).
    token_type: Annotated[Literal["Bearer"], BeforeValidator(lambda text: str(text).title())] = "Bearer"
    expires_in: int


class Trouble(Shape):
    """Problem details (RFC 9457). `fields` says per field, as `de-DE title`, what's wrong with it."""

    type: str
    title: str
    status: int
    detail: str = ""
    fields: dict[str, str] = {}


class Section(Shape):
    """A part of what a hand-over needs: done or not, what's missing, and whether it's locked for now."""

    id: str
    done: bool
    locked: bool = False
    missing: list[str] = []


class App(Shape):
    """An app record: its rulebook, its title in the default locale, and what a hand-over still needs."""

    id: str
    store: str
    title: str
    default_locale: str
    locales: list[str]
    sections: list[Section]


class Listing(Shape):
    """All texts of one locale."""

    locale: str
    texts: dict[str, Text]


class Tagged(Shape, Generic[T]):
    """Something with its entity tag, as an answer to If-Match."""

    etag: str
    value: T


class Facts(Shape):
    """Facts about the app, written once for all locales."""

    facts: dict[str, Fact]


class Picture(Shape):
    """A picture or video in a set. `state` is `ready` once it's processed; a refused one says why in `trouble`."""

    sha256: Sha256
    bytes: int
    width: int
    height: int
    format: str
    state: Literal["processing", "ready", "refused"]
    trouble: str = ""


class PictureSet(Shape):
    """The pictures of a locale for a size class, in order; or its one graphic of a kind, or a video."""

    locale: str
    place: str
    kind: SetKind
    pictures: list[Picture]


class SetOrder(Shape):
    """Which pictures a set shall have, in order; all were uploaded before."""

    kind: SetKind
    pictures: list[Sha256]


class NewUpload(Shape):
    """A file to come: `bytes` long, with its digest."""

    sha256: Sha256
    bytes: Annotated[int, Field(ge=1, le=4_000_000_000)]


class Upload(Shape):
    """A file on its way in parts of `part_bytes`; `received` are the numbers of those that are there, from 0."""

    id: str
    sha256: Sha256
    bytes: int
    part_bytes: int
    received: list[int]
    done: bool


class NewVersion(Shape):
    """A version to begin."""

    version: Name


class Version(Shape):
    """A version of the app; `reasons` says per field, as `de-DE title`, why it was refused."""

    version: str
    state: VersionState
    begun_at: datetime
    build: str = ""
    release: Release = "manual"
    release_date: date | None = None
    reasons: dict[str, str] = {}

    @property
    def refused(self) -> dict[tuple[str, str], str]:
        """Why it was refused, by locale and field; facts have no locale."""
        parts = {place.rpartition(" "): reason for place, reason in self.reasons.items()}
        return {(locale, field): reason for (locale, _, field), reason in parts.items()}


class BuildChoice(Shape):
    """Which build a version ships."""

    build: Name


class Submission(Shape):
    """A hand-over to review: how it's released afterwards, and what the reviewers should know."""

    release: Release = "manual"
    release_date: date | None = None
    review_notes: str = ""


class NewBuild(Shape):
    """An uploaded build."""

    version: Name
    number: Name
    sha256: Sha256


class Build(Shape):
    """A build; usable once it's processed. `tester_notes` by locale, `icons` are the alternative ones inside it.

    `sha256` is the digest of its file, empty where the console doesn't say it.
    """

    version: str
    number: str
    sha256: str = ""
    state: Literal["processing", "usable"]
    added_at: datetime
    tester_notes: dict[str, str] = {}
    icons: list[str] = []


class TesterNotes(Shape):
    """What testers of a build should try."""

    text: str


class Metric(Shape):
    """What one day, storefront and source brought; a part that was withheld is null."""

    day: date
    storefront: str
    source: Literal["search", "browse", "links", "paid"]
    impressions: int | None
    page_views: int | None
    installs: int | None
    revenue: float | None


class Reply(Shape):
    """An answer to a review. `instead_of` is the one that was seen before: when it's another by now, it's kept."""

    text: Annotated[str, Field(min_length=1)]
    instead_of: str = ""


class Review(Shape):
    """A review with its reply, if there is one."""

    id: str
    day: date
    storefront: str
    locale: str
    version: str
    stars: Annotated[int, Field(ge=1, le=5)]
    text: str
    reply: str = ""


class NewExperiment(Shape):
    """An experiment to start. `share` is the part of the visitors that takes part, evenly on all sides."""

    name: Name
    variants: list[Name] = Field(min_length=1)
    storefronts: list[str] = []
    locales: list[str] = []
    share: float = Field(1.0, gt=0, le=1)
    start: date
    days: int = Field(ge=1, le=90)


class Experiment(Shape):
    """An experiment, and how many whole days it ran."""

    name: str
    variants: list[str]
    start: date
    state: Literal["running", "ended"]
    days: int


class ExperimentCount(Shape):
    """The visitors of a day that saw a variant, and those of them who did it; the present page is `control`."""

    day: date
    variant: str
    visitors: int
    hits: int
