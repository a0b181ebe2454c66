"""The command: its contract, its words, its exit codes."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
import pytest

from captures import pdf_of
from command import woad, woad_started
from sheets import pen_scan, pen_sheet, pixels, png_bytes, png_claiming
from woad.cli.clean import apply_change
from woad.core.docket.model import Docket, docket_from_json, setting_paths


@pytest.fixture
def scan(tmp_path: Path) -> Path:
    path = tmp_path / "sheet.png"
    path.write_bytes(pen_sheet().original.data)
    return path


def test_clean_writes_both_editions_and_reports(scan: Path, tmp_path: Path) -> None:
    """Files, sizes, readings and the docket are as promised; the scan is untouched; a second run refuses."""
    before = scan.read_bytes()
    out = tmp_path / "out"
    kept = tmp_path / "kept.json"
    wish = ("--json", "--keep-frame", "--save-docket", kept, "--set", "paper.grain=0.1")
    done = woad_started("clean", scan, "--out", out, *wish)
    assert done.returncode == 0, done.stderr
    report = json.loads(done.stdout)
    assert [Path(p).name for p in report["written"]] == ["sheet-cutout.png", "sheet-paper.png"]
    assert report["readings"]["medium"] == report["readings"]["medium_proposed"]
    assert report["readings"]["ink"]["density_scan"] > 1.2
    assert report["seconds"] > 0
    cut, paper, original = pixels(report["written"][0]), pixels(report["written"][1]), pixels(scan)
    assert cut.shape == (*original.shape[:2], 4)
    assert paper.shape == original.shape
    assert docket_from_json(kept.read_text()).paper.grain == 0.1
    assert report["docket"] == str(kept)
    assert scan.read_bytes() == before
    again = woad_started("clean", scan, "--out", out)
    assert again.returncode == 1
    assert "already there" in again.stderr
    third = woad("clean", scan, "--out", out, "--overwrite", "--docket", kept, "--medium", "auto", "--json")
    assert third.returncode == 0
    np.testing.assert_array_equal(pixels(report["written"][0]), cut)


@pytest.mark.proof
def test_two_dockets_are_mixed_as_takes_are(scan: Path, tmp_path: Path) -> None:
    """The written picture is the mix of the two written alone, and the mix is kept; a share that is none, or no docket,
    is told before any work."""
    soft, both = tmp_path / "soft.json", tmp_path / "both.json"

    def paper_in(folder: str, *wishes: object) -> np.ndarray:
        plain = ("--keep-frame", "--editions", "paper", "--medium", "pen")
        done = woad("clean", scan, "--out", tmp_path / folder, *plain, *wishes)
        assert done.returncode == 0, done.stderr
        return pixels(tmp_path / folder / "sheet-paper.png").astype(float)

    softer = paper_in("softer", "--set", "ink.darkness=0.3", "--save-docket", soft)
    darker = paper_in("darker")
    mixed = paper_in("mixed", "--mix", soft, "0.4", "--save-docket", both)
    assert np.abs(softer - darker).max() > 40
    assert np.abs(mixed - (0.6 * darker + 0.4 * softer)).max() <= 1.5
    kept = docket_from_json(both.read_text()).mix
    assert kept is not None and (kept.share, kept.take) == (0.4, docket_from_json(soft.read_text()))
    np.testing.assert_array_equal(paper_in("again", "--docket", both), mixed)
    for mix, says in (
        ((soft, "much"), "share"),
        ((soft, "1.5"), "mix"),
        ((tmp_path / "gone.json", "0.4"), "gone.json"),
    ):
        done = woad("clean", scan, "--out", tmp_path / "never", "--mix", *mix)
        assert done.returncode == 2
        assert says in done.stderr
        assert "Traceback" not in done.stderr
    assert not (tmp_path / "never").exists()


def test_bad_scans_do_not_stop_good_ones(scan: Path, tmp_path: Path) -> None:
    """Each scan gets its own object; exit 1 tells that not all were written."""
    broken, bomb = tmp_path / "broken.png", tmp_path / "bomb.png"
    broken.write_bytes(scan.read_bytes()[:5000])
    bomb.write_bytes(png_claiming(100_000, 100_000))
    done = woad("clean", broken, bomb, tmp_path / "gone.png", scan, "--out", tmp_path / "out", "--json")
    assert done.returncode == 1
    reports = [json.loads(line) for line in done.stdout.splitlines()]
    assert [bool(r["written"]) for r in reports] == [False, False, False, True]
    assert all("\n" not in r["error"] for r in reports[:3])
    assert "Traceback" not in done.stderr


@pytest.mark.parametrize("kind", ["white", "black", "one pixel"])
def test_sheets_without_art_are_survived(tmp_path: Path, kind: str) -> None:
    """All white, all black, a single pixel: written, with a doubt in words, in no time."""
    shape = (1, 1, 3) if kind == "one pixel" else (400, 300, 3)
    path = tmp_path / "odd.png"
    path.write_bytes(png_bytes(np.full(shape, 0 if kind == "black" else 255, np.uint8)))
    done = woad("clean", path, "--out", tmp_path / "out", "--json")
    assert done.returncode == 0, done.stderr
    report = json.loads(done.stdout)
    readings = report["readings"]
    assert report["look"].endswith(".")
    assert readings["ink"]["doubt"] or readings["paper"]["doubt"]
    alpha = pixels(tmp_path / "out" / "odd-cutout.png")[..., 3]
    assert (alpha == (255 if kind == "black" else 0)).all()


def test_auto_is_a_word_for_every_setting_that_has_it() -> None:
    """Set to something else and back, each is as it was."""
    plain = Docket()
    values = {
        f"{step}.{name}": value
        for step, part in plain.model_dump().items()
        if isinstance(part, dict)
        for name, value in part.items()
    }
    words = [path for path in setting_paths() if values.get(path, "") in ("auto", None)]
    assert {"ink.halftones", "ink.white", "paper.ground", "ink.paper", "knockout.clearing"} <= set(words)
    for path in words:
        assert apply_change(plain, f"{path}=auto") == plain, path
    crisp = apply_change(plain, "ink.halftones=inked")
    assert crisp != plain
    assert apply_change(crisp, "ink.halftones=auto") == plain


@pytest.mark.parametrize(
    ("args", "says"),
    [
        (["--medium", "crayon"], "no medium 'crayon'"),
        (["--editions", "cutout:jpeg"], "JPEG has no transparency"),
        (["--set", "paper.grian=1"], "no setting called paper.grian. Nothing was changed; did you mean paper.grain"),
        (["--set", "sparkle=1"], "no setting called sparkle. Nothing was changed; the handbook"),
        (["--set", "paper.grain=7"], "paper.grain is wrong"),
        (["--docket", "gone.json"], "cannot be read"),
        (["--save-docket", "gone/kept.json"], "The folder for gone/kept.json is not there"),
    ],
)
def test_wrong_wishes_are_refused_in_one_sentence(scan: Path, tmp_path: Path, args: list[str], says: str) -> None:
    """Nothing is written, and the sentence names the wish."""
    out = tmp_path / "out"
    done = woad("clean", scan, "--out", out, *args)
    assert done.returncode == 2
    assert says in done.stderr
    assert "Traceback" not in done.stderr
    assert not out.exists() or not list(out.iterdir())


@pytest.mark.proof
def test_every_page_of_a_pdf_is_cleaned_and_reported(scan: Path, tmp_path: Path) -> None:
    """A page is a picture of its own, named by its number; a PDF that is none costs the others nothing."""
    image = np.ascontiguousarray(pixels(scan))
    h, w = image.shape[:2]
    good, bad = tmp_path / "pages.pdf", tmp_path / "empty.pdf"
    good.write_bytes(pdf_of(image, 3.0, 2))
    bad.write_bytes(pdf_of(None))
    done = woad("clean", bad, good, scan, "--out", tmp_path / "out", "--json", "--keep-frame")
    assert done.returncode == 1
    none, one, two, plain = (json.loads(line) for line in done.stdout.splitlines())
    assert "no scanned picture" in none["error"]
    assert "page" not in none and "page" not in plain
    assert (one["page"], two["page"], one["file"]) == (1, 2, str(good))
    assert [Path(p).name for p in two["written"]] == ["pages-page-2-cutout.png", "pages-page-2-paper.png"]
    assert one["readings"]["ppi"] == pytest.approx(w / 3.0, abs=0.1)
    a, b = pixels(one["written"][0]), pixels(two["written"][0])
    assert a.shape == (h, w, 4)
    np.testing.assert_array_equal(a, b)
    # The same drawing as from its own file, but for what the embedded JPEG took.
    drawn = cv2.absdiff(a[..., 3], pixels(plain["written"][0])[..., 3])
    assert float(drawn.mean()) < 1.0
    told = woad("report", good)
    assert [", page 1:" in line for line in told.stdout.splitlines() if str(good) in line] == [True, False]


def test_medium_is_taken_from_the_user(scan: Path, tmp_path: Path) -> None:
    """A named medium brings its own starting values."""
    done = woad("clean", scan, "--out", tmp_path / "out", "--medium", "pencil", "--json", "--editions", "paper")
    assert json.loads(done.stdout)["readings"]["medium"] == "pencil"
    paper = pixels(tmp_path / "out" / "sheet-paper.png")
    deep = pen_scan().coverage > 0.99
    assert 15 < np.median(paper[deep]) < 40


def test_the_core_never_loads_qt() -> None:
    """The whole command runs without the window's library."""
    code = (
        "import sys, pkgutil, importlib, woad.core\n"
        "for m in pkgutil.walk_packages(woad.core.__path__, 'woad.core.'): importlib.import_module(m.name)\n"
        "import woad.cli.main, woad.demo.job\n"
        "sys.exit(any(name.startswith(('PySide6', 'shiboken')) for name in sys.modules))"
    )
    assert subprocess.run([sys.executable, "-c", code]).returncode == 0
