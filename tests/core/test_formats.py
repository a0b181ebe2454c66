"""Reading: every kind of file, its orientation, ppi and profile; broken files in one clear sentence."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image, ImageCms

from captures import drawn_sheet, pdf_of, shot
from sheets import image_bytes, png_claiming
from woad.core.errors import FileUnreadable
from woad.core.formats.header import kind_of
from woad.core.formats.profile import to_srgb
from woad.core.formats.read import MAX_PIXELS, may_have_pages, open_original, pixels_of, take_in, take_in_pages
from woad.core.formats.whole import looks_whole
from woad.core.raster.transfer import srgb_encode

RGB = np.random.default_rng(1).integers(0, 255, (40, 60, 3), dtype=np.uint8)
GREY = RGB[..., 0].copy()


def tiff(pixels: np.ndarray, **extra: object) -> bytes:
    out = io.BytesIO()
    tifffile.imwrite(out, pixels, **extra)  # type: ignore[arg-type]
    return out.getvalue()


def tiff_of(pages: list[np.ndarray], copy: np.ndarray) -> bytes:
    """Several pages, each followed by a small copy of itself."""
    out = io.BytesIO()
    with tifffile.TiffWriter(out) as file:
        for page in pages:
            file.write(page, photometric="rgb")
            file.write(copy, photometric="rgb", subfiletype=1)
    return out.getvalue()


def pil_bytes(bits: np.ndarray, kind: str, **extra: object) -> bytes:
    """A picture of one bit a pixel."""
    out = io.BytesIO()
    Image.fromarray(bits).save(out, kind, **extra)
    return out.getvalue()


BITS = GREY > 127
LOSSLESS = {
    "png-rgb": (image_bytes(RGB, "PNG"), RGB),
    "png-grey": (image_bytes(GREY, "PNG"), GREY[..., None]),
    "png-16-grey": (image_bytes(GREY.astype(np.uint16) * 257, "PNG"), (GREY.astype(np.uint16) * 257)[..., None]),
    "tiff-rgb": (tiff(RGB, photometric="rgb"), RGB),
    "tiff-16-zstd": (
        tiff(RGB.astype(np.uint16) * 257, photometric="rgb", compression="zstd"),
        RGB.astype(np.uint16) * 257,
    ),
    "tiff-deflate-tiled": (tiff(RGB, photometric="rgb", compression="zlib", tile=(16, 16), predictor=True), RGB),
    "webp": (image_bytes(RGB, "WEBP", lossless=True), RGB),
    "tiff-grey-white-is-zero": (tiff(255 - GREY, photometric="miniswhite"), GREY[..., None]),
    "tiff-planes": (tiff(np.moveaxis(RGB, 2, 0), photometric="rgb", planarconfig="separate"), RGB),
    "tiff-big-endian-16": (
        tiff(RGB.astype(">u2") * 257, photometric="rgb", byteorder=">"),
        RGB.astype(np.uint16) * 257,
    ),
    "tiff-one-bit": (
        pil_bytes(BITS, "TIFF", compression="group4"),
        np.where(BITS, np.uint8(255), np.uint8(0))[..., None],
    ),
    "jp2": (image_bytes(RGB, "JPEG2000", irreversible=False), RGB),
    "jp2-grey": (image_bytes(GREY, "JPEG2000", irreversible=False), GREY[..., None]),
    "bmp": (image_bytes(RGB, "BMP"), RGB),
    "bmp-one-bit": (pil_bytes(BITS, "BMP"), np.where(BITS, np.uint8(255), np.uint8(0))[..., None]),
    "gif-grey": (image_bytes(GREY, "GIF"), np.repeat(GREY[..., None], 3, axis=2)),
    "ppm": (image_bytes(RGB, "PPM"), RGB),
    "pgm-16": (image_bytes(GREY.astype(np.uint16) * 257, "PPM"), (GREY.astype(np.uint16) * 257)[..., None]),
    "png-one-bit": (pil_bytes(BITS, "PNG"), np.where(BITS, np.uint8(255), np.uint8(0))[..., None]),
}


@pytest.mark.parametrize("name", LOSSLESS)
def test_lossless_files_keep_every_value(name: str) -> None:
    """Pixels come out as they went in, with their bit depth and number of channels."""
    data, wanted = LOSSLESS[name]
    pixels = pixels_of(take_in(name, data))
    assert pixels.dtype == wanted.dtype
    np.testing.assert_array_equal(pixels, wanted)


def test_jpeg_avif_and_heic_are_read() -> None:
    """Lossy kinds come out close to what they hold."""
    smooth = np.tile(np.linspace(30, 220, 64, dtype=np.uint8)[None, :, None], (48, 1, 3))
    for kind in ("JPEG", "AVIF"):
        read = pixels_of(take_in("a", image_bytes(smooth, kind, quality=95)))
        assert np.abs(read.astype(int) - smooth).mean() < 2
    heic = pixels_of(open_original(Path(__file__).parent.parent / "data" / "ramp.heic"))
    assert heic.shape == (48, 64, 3)
    assert np.abs(heic.astype(int) - smooth).mean() < 4


def test_alpha_becomes_white_paper() -> None:
    """A transparent scan lies on white, since white is what its owner sees."""
    rgba = np.dstack([RGB, np.zeros_like(GREY)])
    assert (pixels_of(take_in("a.png", image_bytes(rgba, "PNG"))) == 255).all()


@pytest.mark.parametrize("orientation", range(1, 9))
def test_orientation_tag_is_honoured(orientation: int) -> None:
    """The picture stands as every viewer that knows the tag shows it."""
    exif = Image.Exif()
    exif[0x0112] = orientation
    data = image_bytes(RGB, "JPEG", quality=95, exif=exif)
    from PIL import ImageOps

    wanted = np.asarray(ImageOps.exif_transpose(Image.open(io.BytesIO(data))))
    got = pixels_of(take_in("a.jpg", data))
    assert got.shape == wanted.shape
    assert np.abs(got.astype(int) - wanted.astype(int)).max() <= 3


@pytest.mark.parametrize(("ppi", "believed"), [(300, 300), (600, 600), (72, None), (1, None)])
def test_ppi_is_read_and_absurd_values_are_not_believed(ppi: int, believed: int | None) -> None:
    """72 is what files say that know nothing."""
    for kind in ("PNG", "JPEG", "TIFF"):
        assert take_in("a", image_bytes(RGB, kind, dpi=(ppi, ppi))).ppi == believed
    assert take_in("a", image_bytes(RGB, "PNG")).ppi is None


def test_profile_is_converted_to_srgb() -> None:
    """A file in another colour space looks in Woad as it looks in a colour-managed viewer."""
    import imagecodecs

    wide = imagecodecs.cms_profile(
        "rgb", primaries=[0.64, 0.33, 1, 0.21, 0.71, 1, 0.15, 0.06, 1], whitepoint=[0.3127, 0.329, 1], gamma=2.2
    )
    data = image_bytes(RGB, "PNG", icc_profile=wide)
    image = Image.open(io.BytesIO(data))
    wanted = ImageCms.profileToProfile(
        image, ImageCms.ImageCmsProfile(io.BytesIO(wide)), ImageCms.createProfile("sRGB"), renderingIntent=1
    )
    got = pixels_of(take_in("a.png", data))
    assert np.abs(got.astype(int) - np.asarray(wanted).astype(int)).mean() < 1
    assert np.abs(got.astype(int) - RGB.astype(int)).mean() > 3


PNG, JPEG = image_bytes(RGB, "PNG"), image_bytes(RGB, "JPEG")
BROKEN = {
    "text": b"not an image at all",
    "empty": b"",
    "png cut": PNG[: len(PNG) // 2],
    "png header cut": PNG[:20],
    "jpeg cut": JPEG[: len(JPEG) // 2],
    "jpeg end cut": JPEG[:-40],
    "tiff cut": tiff(RGB, photometric="rgb")[:3000],
    "jp2 cut": image_bytes(RGB, "JPEG2000", irreversible=False)[:3000],
    "bmp cut": image_bytes(RGB, "BMP")[:2000],
    "avif cut": image_bytes(RGB, "AVIF", quality=95)[:1500],
    "webp cut": image_bytes(RGB, "WEBP", lossless=True)[:2000],
    "bomb": png_claiming(100_000, 100_000),
    "no pixels": png_claiming(0, 0),
    "header lies": png_claiming(3000, 3000),
    "fractions": tiff(GREY.astype(np.float32) / 255, photometric="minisblack"),
    "32 bits": tiff(GREY.astype(np.uint32) << 24, photometric="minisblack"),
}


@pytest.mark.parametrize("name", BROKEN)
def test_broken_files_give_one_sentence(name: str) -> None:
    """What happened, that the file is unchanged, what to do; never a decoder's own words."""
    with pytest.raises(FileUnreadable) as caught:
        pixels_of(take_in("scan.png", BROKEN[name]))
    says = str(caught.value)
    assert says.startswith("scan.png")
    assert "\n" not in says
    assert "Traceback" not in says
    assert "unchanged" in says or "not opened" in says


def test_a3_at_1200_ppi_is_not_a_bomb() -> None:
    """278 megapixels is a true sheet; the limit lies well above it."""
    original = take_in("a3.png", png_claiming(14_031, 19_843))
    assert original.header.width * original.header.height < MAX_PIXELS


def test_missing_file_and_folder_are_told_apart(tmp_path: Path) -> None:
    """The sentence names the file and what is wrong with it."""
    with pytest.raises(FileUnreadable, match=r"gone\.png is not there"):
        open_original(tmp_path / "gone.png")
    with pytest.raises(FileUnreadable, match="is a folder"):
        open_original(tmp_path)


def test_kind_is_told_by_content_not_by_name() -> None:
    """A JPEG called .png is a JPEG."""
    assert kind_of(JPEG) == "jpeg"
    assert pixels_of(take_in("wrong.png", JPEG)).shape == RGB.shape


def test_a_pdf_scan_gives_its_own_picture_at_its_own_resolution() -> None:
    """The embedded JPEG itself, decoded as it was embedded; ppi from its place on the page; the PDF's bytes are kept."""
    image = shot(drawn_sheet())
    data = pdf_of(image, 2.0)
    original = take_in("scan.pdf", data)
    assert original.data == data
    assert original.ppi == pytest.approx(350, abs=1)
    assert np.abs(pixels_of(original).astype(int) - image).mean() < 2
    assert original.stem == "scan"
    pages = take_in_pages("scan.pdf", pdf_of(image, 2.0, 2))
    assert [page.stem for page in pages] == ["scan-page-1", "scan-page-2"]


def test_every_page_of_a_tiff_is_a_sheet(tmp_path: Path) -> None:
    """Each page has its own pixels and name; a small copy of a page is none; a file with one page has no number."""
    path = tmp_path / "pile.tif"
    path.write_bytes(tiff_of([RGB, 255 - RGB], copy=RGB[::4, ::4]))
    assert may_have_pages(path)
    pages = take_in_pages(path.name, path.read_bytes())
    assert [page.stem for page in pages] == ["pile-page-1", "pile-page-2"]
    for page, truth in zip(pages, (RGB, 255 - RGB), strict=True):
        assert np.array_equal(pixels_of(page), truth)
    with pytest.raises(FileUnreadable, match="2 scanned pages"):
        take_in("pile", path.read_bytes())
    path.write_bytes(tiff_of([RGB], copy=RGB[::4, ::4]))
    assert not may_have_pages(path)
    assert take_in_pages(path.name, path.read_bytes())[0].stem == "pile"


def test_a_tiff_in_lab_colour_is_read() -> None:
    """Lightness 80, a little red and yellow: the colour that CIE L*a*b* says."""
    lab = np.empty((8, 10, 3), np.uint8)
    lab[:] = (204, 20, 30)
    pixels = pixels_of(take_in("lab.tif", tiff(lab, photometric="cielab")))
    assert pixels.shape == (8, 10, 3)
    # Worked out from CIE 15 by hand: X, Y, Z = 0.6207, 0.5668, 0.3387 under D65.
    assert np.abs(pixels[0, 0].astype(int) - (252, 183, 144)).max() <= 2


@pytest.mark.parametrize("scale", [1, 257])
def test_a_tiff_that_keeps_brightness_and_chroma_is_read(scale: int) -> None:
    """Pure red as Rec. 601 writes it, in 8 and 16 bit."""
    chroma = np.empty((8, 10, 3), np.uint8 if scale == 1 else np.uint16)
    chroma[:] = np.array((76, 85, 255)) * scale
    pixels = pixels_of(take_in("chroma.tif", tiff(chroma, photometric="ycbcr", compression="deflate")))
    assert np.abs(pixels[0, 0].astype(int) // scale - (254, 0, 0)).max() <= 1


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (lambda: pdf_of(None), "no scanned picture"),
        (lambda: pdf_of(shot(drawn_sheet()), locked=True), "locked"),
        (lambda: pdf_of(shot(drawn_sheet()))[:400], "damaged"),
        (lambda: pdf_of(shot(drawn_sheet()), pages=2), "2 scanned pages"),
    ],
)
def test_pdfs_without_a_scan_say_why(data, says) -> None:  # type: ignore[no-untyped-def]
    """No picture, locked, cut short, several pages: one sentence each, and the file is unchanged."""
    with pytest.raises(FileUnreadable, match=says) as caught:
        take_in("scan.pdf", data())
    assert "unchanged" in str(caught.value)


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "WEBP", "TIFF"])
def test_a_file_that_is_still_arriving_is_told_from_a_whole_one(kind: str) -> None:
    """Whole at its full length, not before."""
    data = image_bytes(RGB, kind)
    assert looks_whole(data)
    for share in (0.3, 0.7, 0.97):
        assert not looks_whole(data[: int(len(data) * share)])


def test_a_phones_picture_that_is_still_arriving_is_waited_for() -> None:
    """HEIC has no end mark: its boxes say how long the file will be."""
    data = (Path(__file__).parent.parent / "data" / "ramp.heic").read_bytes()
    assert looks_whole(data)
    for share in (0.2, 0.6, 0.99):
        assert not looks_whole(data[: int(len(data) * share)])


def test_a_grey_profile_is_obeyed_and_a_broken_one_ignored() -> None:
    """Grey values recorded along another curve get the lightness they stood for; nonsense leaves them alone."""
    import imagecodecs

    ramp = np.tile(np.arange(256, dtype=np.uint8), (4, 1))
    linear = imagecodecs.cms_profile("gray", gamma=1.0)
    got = pixels_of(take_in("a.png", image_bytes(ramp, "PNG", icc_profile=linear)))[0, :, 0]
    wanted = np.rint(srgb_encode(np.arange(256, dtype=np.float32) / 255) * 255)
    assert np.abs(got[8:].astype(int) - wanted[8:]).max() <= 2
    broken = linear[:60] + b"\x00" * 60
    np.testing.assert_array_equal(to_srgb(ramp[..., None], broken), ramp[..., None])
