"""The tree of errors Woad raises on purpose.

::

    WoadError
    ├── TheirError            something outside Woad: a file, a disk, a wish that cannot be met
    │   ├── FileUnreadable    not an image, cut short, empty, too large to be true
    │   ├── CannotWrite       no permission, disk full, already there
    │   ├── BadSetting        a docket field or a command's option that is unknown or out of range
    │   └── Impossible        asked for what a format or sheet cannot give
    └── OurError              a promise inside Woad was broken: a defect to report
    Cancelled                 (not an error: the user pressed Stop)

Every ``TheirError`` carries one sentence fit for the screen: what happened, what is safe, what to do.
"""

from __future__ import annotations


class WoadError(Exception):
    """Base of all errors raised on purpose."""


class TheirError(WoadError):
    """The cause lies outside Woad; ``str(error)`` is a sentence for the user."""


class FileUnreadable(TheirError):
    """A file cannot be taken in as a scan."""


class CannotWrite(TheirError):
    """A file cannot be written; what was there before is untouched."""


class BadSetting(TheirError):
    """A setting is unknown or out of range. ``field`` names it; ``plain`` says it without that name, for a screen that
    shows the setting beside it."""

    def __init__(self, field: str, says: str, plain: str | None = None) -> None:
        super().__init__(says)
        self.field = field
        self.plain = plain or says


class Impossible(TheirError):
    """What was asked for cannot exist, for instance a transparent JPEG."""


class OurError(WoadError):
    """A promise inside Woad was broken."""


class Cancelled(Exception):
    """Work was stopped on request."""
