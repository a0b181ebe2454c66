"""Editions on disk: exact pixels, tags, safe writing under a full disk and a kill, formats that cannot be."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from sheets import DUST, FLAT, STIPPLE, colour_sheet, pen_sheet, strewn
from woad.core.docket.model import Docket
from woad.core.editions.clean import readings_json, write_sheet
from woad.core.editions.edition import Destination, Edition, parse_editions, write_edition
from woad.core.editions.picture import paper_picture
from woad.core.errors import BadSetting, CannotWrite, Impossible
from woad.core.formats.write import write_safely
from woad.core.render.whole import render_whole


@pytest.mark.parametrize("make", [pen_sheet, colour_sheet], ids=["one ink", "colour"])
@pytest.mark.parametrize("form", ["png", "tiff"])
def test_cut_out_holds_the_planes_exactly(tmp_path: Path, make, form: str) -> None:  # type: ignore[no-untyped-def]
    """Straight alpha and colour, ppi and an sRGB profile, bit for bit."""
    planes = render_whole(make(), Docket())
    edition = Edition("cutout", form)  # type: ignore[arg-type]
    target = edition.path_for("sheet", tmp_path)
    write_edition(planes, edition, target, 300, overwrite=False)
    with Image.open(target) as image:
        assert image.mode == "RGBA"
        assert image.info["dpi"][0] == pytest.approx(300, abs=0.1)
        assert "sRGB".encode("utf-16-be") in image.info["icc_profile"]
        got = np.asarray(image)
    np.testing.assert_array_equal(got[..., 3], planes.alpha)
    colour = planes.rgb if planes.rgb is not None else np.full((*got.shape[:2], 3), planes.ink_rgb)
    np.testing.assert_array_equal(got[..., :3], colour)


@pytest.mark.parametrize("form", ["png", "jpeg", "tiff"])
def test_paper_edition_is_opaque_and_white(tmp_path: Path, form: str) -> None:
    """The second edition lies on white paper, whatever the format."""
    planes = render_whole(pen_sheet(), Docket())
    edition = Edition("paper", form)  # type: ignore[arg-type]
    target = edition.path_for("sheet", tmp_path)
    write_edition(planes, edition, target, None, overwrite=False)
    with Image.open(target) as image:
        assert image.mode == "RGB"
        difference = np.abs(np.asarray(image).astype(int) - paper_picture(planes))
    assert difference.max() == 0 if form != "jpeg" else difference.mean() < 2


def test_a_transparent_jpeg_is_refused_in_words() -> None:
    """The format has none, and the sentence says so."""
    with pytest.raises(Impossible, match="JPEG has no transparency"):
        parse_editions("paper,cutout:jpeg")
    assert parse_editions("cutout, paper:jpg") == (Edition("cutout"), Edition("paper", "jpeg"))
    with pytest.raises(BadSetting, match="poster"):
        parse_editions("poster")


def test_knock_out_off_has_no_cut_out(tmp_path: Path) -> None:
    """It says so, and writes nothing."""
    docket = Docket().with_setting("knockout.on", False)
    with pytest.raises(Impossible, match="Knock-out is off"):
        write_sheet(pen_sheet(), docket, (Edition("cutout"),), Destination(tmp_path, "sheet"))
    assert list(tmp_path.iterdir()) == []


def test_what_spotting_took_off_is_told(tmp_path: Path) -> None:
    """For scripts: five specks went and what else is small stayed; with Spotting off nothing was looked for."""
    sheet, off = strewn(), FLAT.with_setting("spotting.on", False)
    to = Destination(tmp_path, "sheet", True)
    done, without = (write_sheet(sheet, docket, (Edition("cutout"),), to) for docket in (FLAT, off))
    told = readings_json(sheet, FLAT, done.found)["spotting"]
    assert told == {
        "pieces": len(DUST) + len(STIPPLE) + 2,
        "taken_off": len(DUST),
        "hairs": 0,
        "streaks": 0,
        "folds": 0,
    }
    assert readings_json(sheet, off, without.found)["spotting"] is None


def test_existing_files_are_left_unless_allowed(tmp_path: Path) -> None:
    """Nothing is computed or changed when a name is taken."""
    target = tmp_path / "sheet-cutout.png"
    target.write_bytes(b"mine")
    with pytest.raises(CannotWrite, match="already there"):
        write_sheet(pen_sheet(), Docket(), parse_editions("cutout,paper"), Destination(tmp_path, "sheet"))
    assert target.read_bytes() == b"mine"
    assert len(list(tmp_path.iterdir())) == 1
    scan = Destination(tmp_path, "sheet", True, [tmp_path / "elsewhere" / ".." / "sheet-cutout.png"])
    with pytest.raises(CannotWrite, match="one of the scans"):
        write_sheet(pen_sheet(), Docket(), parse_editions("cutout"), scan)
    assert target.read_bytes() == b"mine"
    write_sheet(pen_sheet(), Docket(), parse_editions("cutout"), Destination(tmp_path, "sheet", True))
    with Image.open(target) as image:
        assert image.mode == "RGBA"


def test_a_writer_that_fails_leaves_the_old_file_whole(tmp_path: Path) -> None:
    """Half-written data never reaches the target's name, and no temporary file is left."""
    target = tmp_path / "a.png"
    target.write_bytes(b"old")

    def fail(path: Path) -> None:
        path.write_bytes(b"half")
        raise OSError(28, "No space left on device")

    with pytest.raises(CannotWrite, match="the disk is full"):
        write_safely(target, fail, overwrite=True)
    assert target.read_bytes() == b"old"
    assert [p.name for p in tmp_path.iterdir()] == ["a.png"]
    with pytest.raises(CannotWrite, match="folder is not there"):
        write_safely(tmp_path / "gone" / "a.png", fail, overwrite=True)


_LIMITED = """
import resource, signal, sys
sys.path.insert(0, {tests!r})
from pathlib import Path
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
from sheets import pen_sheet
from woad.core.docket.model import Docket
from woad.core.editions.edition import Edition, write_edition
from woad.core.errors import CannotWrite
from woad.core.render.whole import render_whole
planes = render_whole(pen_sheet(), Docket())
resource.setrlimit(resource.RLIMIT_FSIZE, (9000, 9000))
try:
    write_edition(planes, Edition("cutout"), Path({target!r}), 300, overwrite=True)
except CannotWrite as error:
    print(error)
"""


def test_a_full_disk_is_said_and_harms_nothing(tmp_path: Path) -> None:
    """The real encoder runs out of room: one sentence, the old file whole."""
    target = tmp_path / "sheet-cutout.png"
    target.write_bytes(b"old")
    code = _LIMITED.format(tests=str(Path(__file__).parent.parent), target=str(target))
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert "was not written: the disk is full" in out.stdout
    assert target.read_bytes() == b"old"
    assert len(list(tmp_path.iterdir())) == 1


def test_a_kill_while_writing_leaves_the_old_file_whole(tmp_path: Path) -> None:
    """The target's name always means a whole file."""
    target = tmp_path / "a.png"
    target.write_bytes(b"old")
    code = (
        "import sys, time\nfrom pathlib import Path\nfrom woad.core.formats.write import write_safely\n"
        "def slow(path):\n    path.write_bytes(b'x' * 100000)\n    print('begun', flush=True)\n    time.sleep(60)\n"
        f"write_safely(Path({str(target)!r}), slow, True)\n"
    )
    process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    assert process.stdout.readline() == "begun\n"
    os.kill(process.pid, signal.SIGKILL)
    process.wait()
    process.stdout.close()
    time.sleep(0.05)
    assert target.read_bytes() == b"old"


def test_no_permission_is_said(tmp_path: Path) -> None:
    """A folder that may not be written to: one sentence that says so and what to do."""
    folder = tmp_path / "shut"
    folder.mkdir(mode=0o555)
    tmp_path.chmod(0o755)
    code = (
        "import os\nfrom pathlib import Path\nfrom woad.core.errors import CannotWrite\n"
        "from woad.core.formats.write import write_safely\n"
        "os.getuid() == 0 and os.setuid(65534)\n"
        f"os.chdir('/')\ntry: write_safely(Path({str(folder)!r}) / 'a.png', lambda p: p.write_bytes(b'x'), False)\n"
        "except CannotWrite as error: print(error)\n"
    )
    for parent in list(folder.parents)[:4]:
        if parent.stat().st_uid == os.getuid() and parent != Path("/tmp"):
            parent.chmod(0o755)
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert "no permission to write" in out.stdout
    assert list(folder.iterdir()) == []
