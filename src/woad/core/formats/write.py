"""Safe writing: a temporary file beside the target, then one rename. A full disk or a kill leaves the old file whole."""

from __future__ import annotations

import contextlib
import errno
import os
import tempfile
from collections.abc import Callable, Collection
from pathlib import Path
from threading import Event
from typing import Any

from woad.core.errors import Cancelled, CannotWrite, WoadError

Progress = Callable[[float], None]


def write_safely(target: Path, write: Callable[[Path], object], overwrite: bool) -> None:
    """Let ``write`` fill a temporary file, then put it in the target's place in one move.

    Raises :class:`CannotWrite`; the target then is what it was before, and no temporary file is left.
    """
    refuse_existing(target, overwrite)
    try:
        handle, name = tempfile.mkstemp(prefix=".woad-", suffix=target.suffix, dir=target.parent)
    except OSError as error:
        raise _cannot(target, error) from None
    temporary = Path(name)
    try:
        os.close(handle)
        write(temporary)
        with temporary.open("rb+") as file:
            os.fsync(file.fileno())
        # mkstemp makes files for the owner only; a picture should be as readable as any other new file.
        mask = os.umask(0)
        os.umask(mask)
        temporary.chmod(0o666 & ~mask)
        refuse_existing(target, overwrite)
        temporary.replace(target)
    except OSError as error:
        raise _cannot(target, error) from None
    finally:
        with contextlib.suppress(OSError):
            temporary.unlink(missing_ok=True)


def refuse_existing(target: Path, overwrite: bool, scans: Collection[Path] = ()) -> None:
    """Raise :class:`CannotWrite` when the target is there and may not be replaced; one of the ``scans`` never may be."""
    if target.exists() and target.resolve() in {scan.resolve() for scan in scans}:
        raise CannotWrite(f"{target.name} is one of the scans and was left as it is. Choose another folder or name.")
    if target.exists() and not overwrite:
        raise CannotWrite(
            f"{target.name} is already there and was left as it is. Allow overwriting, or choose another name."
        )


def _cannot(target: Path, error: OSError) -> CannotWrite:
    if error.errno in (errno.ENOSPC, errno.EDQUOT, errno.EFBIG):
        reason, remedy = "the disk is full", "make room or choose another place"
    elif error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        reason, remedy = "there is no permission to write in this folder", "choose another folder"
    elif error.errno in (errno.ENOENT, errno.ENOTDIR):
        reason, remedy = "its folder is not there", "choose another folder"
    else:
        reason, remedy = error.strerror or "the system refused", "try another place"
    return CannotWrite(f"{target.name} was not written: {reason}. Nothing there was changed; {remedy}.")


def save_image(
    image: Any, target: Path, kind: str, overwrite: bool, progress: Progress | None = None, stop: Event | None = None
) -> None:
    """Write a ``pyvips.Image`` as ``kind`` png, jpeg or tiff, safely, with progress and stop.

    PNG level 1 without row filters: on cut-outs and clean paper it is many times faster than filtered rows, and
    smaller too, since most rows are one run.
    """
    import pyvips

    def write(path: Path) -> None:
        if progress is not None or stop is not None:
            _watch(image, progress, stop)
        try:
            if kind == "png":
                image.pngsave(str(path), compression=1, filter="none")
            elif kind == "jpeg":
                image.jpegsave(str(path), Q=95, subsample_mode="off")
            else:
                image.tiffsave(str(path), compression="deflate", predictor="horizontal")
        except pyvips.Error as error:
            if stop is not None and stop.is_set():
                raise Cancelled from None
            raise _from_vips(error, path) from error

    write_safely(target, write, overwrite)


def _from_vips(error: Exception, path: Path) -> OSError | WoadError:
    """The library reports text only; tell a full disk from other causes."""
    text = str(error).lower()
    if "space" in text or "too large" in text or "write error" in text or "unable to write" in text:
        return OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
    return OSError(errno.EIO, text.strip().splitlines()[0] if text.strip() else "write failed")


def _watch(image: Any, progress: Progress | None, stop: Event | None) -> None:
    image.set_progress(True)

    def step(_image: Any, status: Any) -> None:
        if stop is not None and stop.is_set():
            image.set_kill(True)
        elif progress is not None:
            progress(min(1.0, status.percent / 100))

    image.signal_connect("eval", step)
