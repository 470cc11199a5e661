"""The form of the Handover: who reviews."""

from __future__ import annotations

from irongauge.web.forms import Form, OptionalUid

__all__ = ["ReviewForm"]


class ReviewForm(Form):
    reviewer_uid: OptionalUid = None
