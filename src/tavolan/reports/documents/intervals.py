"""Parts of documents about results: an estimate with its bounds, and a period."""

from datetime import date

from tavolan.reports.documents.part import DocumentPart


class IntervalPart(DocumentPart):
    value: float | None
    """The estimate; null where there's none. The bounds of its 95 % interval follow; null for one without end."""
    low: float | None
    high: float | None


class PeriodPart(DocumentPart):
    first: date
    """Both days are counted."""
    last: date
