"""The text of a new experiment's file, with a variant to fill in."""

import json
from collections.abc import Sequence


def draft_text(
    hypothesis: str,
    metric: str,
    expected: float,
    store: str,
    storefronts: Sequence[str],
    locales: Sequence[str],
    confidence: float,
    effort: float,
) -> str:
    """Return a TOML text. It's read back before anything goes on, so that a wrong metric is an error with its line."""

    def quoted(value: object) -> str:
        # JSON's escapes are TOML's too.
        return json.dumps(value, ensure_ascii=False)

    return f"""#:schema ../schemas/experiment.json
hypothesis = {quoted(hypothesis)}
# page, install, direct: a step of the funnel, by splitting visitors; installs, rank: days before and after
metric = {quoted(metric)}
# The change that you expect: 0.1 for a tenth more.
expected = {expected}
store = {quoted(store)}
# None: all.
storefronts = {quoted(list(storefronts))}
locales = {quoted(list(locales))}
# Of the visitors that take part.
share = 1.0
# How sure you are, 0 to 1; hours that it takes.
confidence = {confidence}
effort = {effort}
# Days of campaigns are left "out", or "in".
campaigns = "out"

# What differs from the present page, one table per variant:
# [variant.curve-first]
# order = ["curve", "firing"]
# [variant.curve-first.captions.en-US]
# curve = "Watch every firing *live*"
"""
