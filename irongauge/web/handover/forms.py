"""The form of the Handover: who reviews."""

from __future__ import annotations

from irongauge.web.forms import OptionalUid, PostedForm

__all__ = ["ReviewForm"]


class ReviewForm(PostedForm):
    reviewer_uid: OptionalUid = None
