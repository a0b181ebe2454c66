"""A docket and readings made into look-up tables: all that the pixel functions need, computed once per change."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from woad.core.docket.model import Docket
from woad.core.docket.touches import Touch
from woad.core.estimate import NoEstimate
from woad.core.ink.curve import Reading, TonePoints, coverage_curve, resting_middle
from woad.core.ink.dropout import Colour, refusal
from woad.core.ink.edge_softness import MOST_IN_COLOUR
from woad.core.raster.codes import Table8, table_8bit
from woad.core.raster.transfer import srgb_decode, srgb_encode
from woad.core.render.negative import as_seen
from woad.core.render.readings import Readings, full_from

_TONED, _SURELY_TONED = 1.2, 1.35  # times the paper's light that a white has on toned paper
_RICHER, _RICHEST = (
    (0.2, 3.0),
    2.0,
)  # times its density that an ink with a hue gets, a pale blue is no navy; and at most
_BLACKEST = 1e-3  # linear light of density 3
_BLACK, _GREY = 0.2, 0.06  # reflectance of black ink at most, and how much its channels differ


@dataclass(frozen=True)
class Work:
    """What the Ink step does beside the curve, in terms of its settings: ``sharpness`` for all art; ``solid``,
    ``boldness``, ``two_tone`` for one ink; ``saturation`` for colour."""

    solid: float = 0.0
    boldness: float = 0.0
    two_tone: str = "off"
    saturation: float = 1.0
    sharpness: float = 0.0


@dataclass(frozen=True)
class Recipe:
    """Everything settings and readings say about how pixels are treated, the same at every level.

    ``evening`` power of the light field; ``grain`` share of paper texture that stays; ``points`` of the curve;
    ``ink_rgb`` encoded colour of full ink (one ink); ``noise_scale`` and ``clearing_scale`` multiply the floors of the
    Paper and the Knock-out gate, ``softness`` their ramp; ``peak`` darkness a mark must reach; ``dropped`` reflectance
    of drop-out colours; ``neutral`` takes hue out of colour; ``ruling`` takes what is printed on the paper off;
    ``work`` what is done to marks; ``paper_tone`` reflectance of toned paper beside its lightest paint, which is white then.
    """

    one_ink: bool
    evening: float
    grain: float
    points: TonePoints
    reading: Reading
    ink_linear: tuple[float, float, float]
    noise_scale: float
    clearing_scale: float
    softness: float
    knockout: bool
    peak: float = 0.0
    dropped: tuple[Colour, ...] = ()
    neutral: bool = False
    work: Work = Work()
    body: float = 0.5
    touches: tuple[Touch, ...] = ()
    ruling: bool = True
    paper_tone: tuple[float, float, float] | None = None

    @property
    def ink_rgb(self) -> tuple[int, int, int]:
        code = np.rint(srgb_encode(np.array(self.ink_linear, np.float32)) * 255).astype(int)
        return int(code[0]), int(code[1]), int(code[2])

    @property
    def full_density(self) -> float:
        """The density that full ink gets, of an ink with a hue that of its deepest channel."""
        return float(-np.log10(min(self.ink_linear) * (1 - _BLACKEST) + _BLACKEST))

    @property
    def clears_more(self) -> bool:
        """Whether Knock-out takes more away than Paper has: its clearing is raised, or grain was kept."""
        return self.clearing_scale > 1 or self.grain > 0

    @property
    def paper_key(self) -> tuple[object, ...]:
        """What the Paper step's result depends on."""
        return (
            self.one_ink,
            self.evening,
            self.noise_scale,
            self.softness,
            self.peak,
            self.dropped,
            self.touches,
            self.ruling,
            self.paper_tone,
        )


def resolve_points(docket: Docket, readings: Readings, one_ink: bool) -> TonePoints:
    """The three points in force: set ones, else the sheet's own; always in order."""
    # Colour is anchored where it lies: full ink at the density that full ink gets leaves every tone alone. But black ink is
    # to be black, with a red seal beside it as well.
    own = readings.ink_point if one_ink else _black_point(docket, readings)
    paper = docket.ink.paper or 0.0
    negative = _folded_paper(readings) if readings.negative else None
    ink = max(own if docket.ink.ink is None else docket.ink.ink, paper + 0.05)
    middle = docket.ink.middle
    if middle is None:
        # Half covered is what full ink of the hump's own density would cover by half: how far the hump's light flank
        # reaches, which counts as full as well, must not make edges bolder.
        full = (readings.ink_density or ink) if one_ink and docket.ink.ink is None else ink
        reading = reading_of(docket, readings, one_ink)
        middle = resting_middle(paper, max(full, ink), reading, min(_full_ink(docket, readings, one_ink)), negative)
    return TonePoints(paper, float(np.clip(middle, paper + 0.005, ink - 0.005)), ink, negative)


def _folded_paper(readings: Readings) -> float:
    """The paper's linear value, folded as the ink is."""
    linear = srgb_decode(np.array(readings.paper_rgb, np.float32) / 255)
    return float(np.average(linear, weights=np.resize(readings.weights, 3)))


def _black_point(docket: Docket, readings: Readings) -> float:
    """The density that gets full in colour: where marks are inked rather than painted, and most of them in black, that of
    the channel in which black is lightest."""
    if halftones_of(docket, readings) != "inked" or isinstance(readings.ink, NoEstimate):
        return docket.ink.darkness
    lightest = max(readings.ink.reflectance)
    if lightest > _BLACK or lightest - min(readings.ink.reflectance) > _GREY:
        return docket.ink.darkness
    return full_from(readings.ink, lightest)


def halftones_of(docket: Docket, readings: Readings) -> Reading:
    """How one ink's half-tones are read: as wished, else as they were seen where the ink lies in washes."""
    if docket.ink.halftones == "auto":
        return "seen" if readings.washes else "inked"
    return docket.ink.halftones


def reading_of(docket: Docket, readings: Readings, one_ink: bool) -> Reading:
    """How half-tones are read; colour always keeps the lightness that was seen."""
    return halftones_of(docket, readings) if one_ink else "seen"


def darkest(density: float) -> float:
    """Linear reflectance of a density, scaled so that density 3 is exactly black (black point compensation)."""
    return float(max(0.0, (10**-density - _BLACKEST) / (1 - _BLACKEST)))


def make_recipe(docket: Docket, readings: Readings) -> Recipe:
    """Settle every automatic value for this docket on this sheet."""
    one_ink = is_one_ink(docket, readings)
    points = resolve_points(docket, readings, one_ink)
    auto = readings.clearing
    clearing = auto if docket.knockout.clearing is None else docket.knockout.clearing
    scale = max(clearing, 1e-4) / max(auto, 1e-4)
    softness = 0.5
    if docket.knockout.softness is not None:
        softness = float(np.clip(docket.knockout.softness / max(clearing, 1e-3), 0.02, 0.98))
    ink = _full_ink(docket, readings, one_ink)
    reading = reading_of(docket, readings, one_ink)
    if not docket.ink.on:
        own, reading = (readings.ink_density or 1.2) if one_ink else 3.0, "seen"
        points = TonePoints(0.0, resting_middle(0.0, own, reading, min(ink)), own)
    return Recipe(
        one_ink=one_ink,
        evening=docket.paper.evening if docket.paper.on else 0.0,
        grain=docket.paper.grain if docket.paper.on else 1.0,
        points=points,
        reading=reading,
        ink_linear=ink,
        noise_scale=min(1.0, scale),
        clearing_scale=scale,
        softness=softness,
        knockout=docket.knockout.on,
        peak=blotches_of(docket, readings) * (1 - readings.ink_fold) if docket.paper.on and one_ink else 0.0,
        dropped=dropped(docket, readings),
        neutral=not one_ink and is_neutral(docket, readings),
        work=_work(docket, readings, one_ink),
        body=docket.knockout.body,
        touches=(docket.paper.touches if docket.paper.on else ()) + (docket.ink.touches if docket.ink.on else ()),
        ruling=docket.paper.on and docket.paper.ruling,
        paper_tone=_paper_tone(docket, readings),
    )


def _paper_tone(docket: Docket, readings: Readings) -> tuple[float, float, float] | None:
    """Toned paper's reflectance beside the lightest paint, when that is white: as set, else on paper that must be toned."""
    white, wish = readings.white, docket.ink.white
    if white is None or not has_white(docket, readings) or not docket.ink.on or not docket.paper.on:
        return None
    # Washes have paper in them: only where it is surely toned are they to be as they look on it.
    toned = _SURELY_TONED if docket.medium == "watercolour" else _TONED
    if wish == "paper" or (wish == "auto" and white.lightness < toned):
        return None
    r, g, b = (float(v**-docket.paper.evening) for v in white.reflectance)
    return r, g, b


def has_white(docket: Docket, readings: Readings) -> bool:
    """Whether colours may be balanced by the lightest paint: colours are kept, and there is some lighter than the paper."""
    kept = not is_one_ink(docket, readings) and docket.ink.drop_out == "off"
    return kept and readings.white is not None and not readings.negative


def blotches_of(docket: Docket, readings: Readings) -> float:
    """Share of full ink that a mark must reach somewhere: as set, else what shows through from the reverse side does not."""
    return readings.reverse if docket.paper.blotches is None else docket.paper.blotches


def is_one_ink(docket: Docket, readings: Readings) -> bool:
    """Whether all marks are laid in one ink: as set, else as the sheet looks."""
    wish = docket.knockout.colour
    return readings.one_ink if wish == "auto" else wish == "one ink"


def resting_sharpness(readings: Readings, one_ink: bool) -> float:
    """The amount of sharpening that the sheet asks for; in colour no more than colours bear."""
    return readings.sharpness if one_ink else min(readings.sharpness, MOST_IN_COLOUR)


def _work(docket: Docket, readings: Readings, one_ink: bool) -> Work:
    if not docket.ink.on:
        return Work()
    ink = docket.ink
    return Work(
        solid=ink.solid,
        boldness=ink.boldness,
        two_tone=ink.two_tone,
        saturation=1.0 if ink.saturation is None else ink.saturation,
        sharpness=resting_sharpness(readings, one_ink) if ink.sharpness is None else ink.sharpness,
    )


def is_neutral(docket: Docket, readings: Readings) -> bool:
    """Whether all hue is taken out of the marks: as set, else when the marks have none to speak of."""
    wish = docket.paper.neutral
    hueless = readings.hue_share < 0.02 and not readings.second_ink
    return wish == "on" or (wish == "auto" and docket.paper.on and hueless)


def dropped(docket: Docket, readings: Readings) -> tuple[Colour, ...]:
    """Reflectance of the drop-out colours in force; none that cannot be told from ink or paper."""
    wish = docket.ink.drop_out
    if not docket.ink.on or wish == "off" or len(readings.weights) != 3:
        return ()
    ink = ink_of(readings)
    if wish != "auto":
        picked = tuple(_linear_colour(colour, readings) for colour in wish)
        return () if refusal(picked, ink) else picked
    colours: tuple[Colour, ...] = ()
    for pencil in () if isinstance(readings.pencils, NoEstimate) else readings.pencils:
        if not refusal((*colours, pencil.colour), ink):
            colours = (*colours, pencil.colour)
    return colours


def _linear_colour(colour: tuple[int, int, int], readings: Readings) -> Colour:
    """A colour as it was seen, as the steps see it."""
    r, g, b = srgb_decode(np.array(as_seen(colour, readings.negative), np.float32) / 255).tolist()
    return r, g, b


def ink_of(readings: Readings) -> Colour:
    """Reflectance of full ink, per channel; a usual black when none was found."""
    if isinstance(readings.ink, NoEstimate):
        return 0.05, 0.05, 0.05
    own = (readings.ink.reflectance * 3)[:3]
    return own[0], own[1], own[2]


def drop_out_refusal(colours: tuple[tuple[int, int, int], ...], readings: Readings) -> str | None:
    """Why these colours (sRGB) cannot be dropped on this sheet, or None."""
    if len(readings.weights) != 3:
        return "the scan is grey, so no colour can be told from the ink"
    return refusal([_linear_colour(colour, readings) for colour in colours], ink_of(readings))


def _full_ink(docket: Docket, readings: Readings, one_ink: bool) -> tuple[float, float, float]:
    """Linear colour of full ink: neutral when the scan's ink is, else its own hue; as dark as set."""
    if not one_ink:
        return (darkest(docket.ink.darkness if docket.ink.on else 3.0),) * 3
    target = docket.ink.darkness if docket.ink.on else (readings.ink_density or 1.2)
    even = darkest(target)
    if isinstance(readings.ink, NoEstimate) or len(readings.ink.reflectance) == 1:
        return even, even, even
    own = np.clip(np.asarray(readings.ink.reflectance, np.float64), 0.002, 0.98)
    # Black ink on blue paper takes more of its blue than of its red, and is black all the same.
    paper = srgb_decode(np.asarray(readings.paper_rgb, np.float32) / 255)
    hue = min(
        float(np.ptp(srgb_encode(seen.astype(np.float32)))) for seen in (own, own * paper / max(paper.max(), 1e-3))
    )
    plain = docket.paper.neutral == "auto" and hue < 0.11
    if docket.paper.neutral == "on" or plain:
        return even, even, even
    density = -np.log10(own)
    # An ink with a hue is made denser, not black: its deepest channel gets the wanted density.
    times = float(np.clip(min(target, _RICHEST) / max(float(density.max()), 0.05), *_RICHER)) if docket.ink.on else 1.0
    scaled = density * times
    return darkest(float(scaled[0])), darkest(float(scaled[1])), darkest(float(scaled[2]))


@lru_cache(maxsize=32)
def tone_table(points: TonePoints, reading: Reading, ink_reflectance: float) -> Table8:
    """One ink: reflectance code to encoded coverage 0..255 after the Ink step."""
    return table_8bit(lambda r: coverage_curve(points, reading, ink_reflectance, r))


@lru_cache(maxsize=32)
def channel_table(points: TonePoints, ink_reflectance: float) -> Table8:
    """Colour: reflectance code of one channel to the encoded value it has after the Ink step."""
    black = float(srgb_encode(np.array([ink_reflectance], np.float32))[0])
    return table_8bit(lambda r: 1 - coverage_curve(points, "seen", ink_reflectance, r) * np.float32(1 - black))
