"""What delivered finds."""

from __future__ import annotations

from muddled_orchard.core.grading.finding import Kind


class NothingToDeliver(Kind, frozen=True):
    """Nothing was to be pushed or deleted."""

    said = "Nothing was to be pushed or deleted."


class RemoteUnseen(Kind, frozen=True):
    """The remote was not handed in."""

    said = "Only the repository was handed in; the remote beside it can't be seen."


class NotPushed(Kind, frozen=True):
    """The remote does not have a branch as it is here; `nothing`: it has it as it was handed out."""

    branch: str
    nothing: bool

    @property
    def said(self) -> str:
        if self.nothing:
            return f"origin has {self.branch} as it was handed out: nothing was pushed."
        return f"origin does not have {self.branch} as it is here; it was not pushed."


class NotDeleted(Kind, frozen=True):
    """A branch is still there, or at the remote."""

    branch: str
    at_origin: bool

    @property
    def said(self) -> str:
        if self.at_origin:
            return f"origin still has {self.branch}; it was to be deleted."
        return f"{self.branch} still exists; it was to be deleted."


class Delivered(Kind, frozen=True):
    """All of it: `pushed` and `deleted` say what was asked."""

    pushed: bool
    deleted: bool

    @property
    def said(self) -> str:
        asked = [word for word, wanted in (("pushed", self.pushed), ("deleted", self.deleted)) if wanted]
        return f"What was to be {' and '.join(asked)} is."
