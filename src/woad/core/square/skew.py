"""The sheet's tilt, from what is drawn or ruled on it: long straight edges and rows of lettering, level or upright.

Every edge pixel votes for the line it would lie on at each angle near its own direction; at the true tilt the votes of a
line, of the feet of a row of letters or of a sheet's edge fall together. Level and upright votes are turned onto each
other, so that they support each other. Sources: projection profiles after Postl (1986); voting by gradient after
O'Gorman and Clowes (1976).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from woad.core.estimate import NoEstimate
from woad.core.raster.thinning import thinned
from woad.core.raster.transfer import encoded_shares
from woad.core.square.lines import gradient

Plane = NDArray[np.float32]
Points = NDArray[np.float64]

MOST_DEG = 14.0
_COARSE_DEG, _FINE_DEG = 0.5, 0.08
_MOST_VOTES = 18_000  # of each family
# A patch of hatching: the widest gap, the fewest lines, and what is too long for it.
_HATCH_GAP_PX, _HATCH_LEAST, _HATCH_LONG_PX = 45.0, 5, 250.0
_OWN_DEG = 3.5  # how far a pixel's own direction may lie from the angle it votes for
# Pixels beside a line that it is fitted through, time after time; and how much it may turn each time, as a slope.
_GIVES_PX, _TURN = (2.5, 1.8, 1.5), 0.03
_LEAST_VOTES = 25  # of a line
_TAPER_LEAST_DEG, _TAPER = 2.5, (0.2, 0.4)  # tilt that mirrors apart from itself; how far a mirrored one may stand out


@dataclass(frozen=True)
class Tilt:
    """``deg`` clockwise positive; ``sure`` 0..1; ``why`` in a few words."""

    deg: float
    sure: float
    why: str


@dataclass(frozen=True, eq=False)
class _Votes:
    """Edge pixels of one family, level or ``upright``, sorted by their ``own`` direction in degrees from level:
    ``along`` and ``across`` positions, those of upright ones turned onto level ones, and ``weight``."""

    along: Points
    across: Points
    own: Points
    weight: Points
    upright: bool

    def fewer(self, every: int) -> _Votes:
        """Every n-th of them."""
        pick = slice(None, None, every if len(self.weight) > 9000 else 1)
        return _Votes(self.along[pick], self.across[pick], self.own[pick], self.weight[pick], self.upright)

    def near(self, deg: float, give: float) -> slice:
        """Those whose own direction is near an angle."""
        low, high = np.searchsorted(self.own, [deg - give, deg + give])
        return slice(int(low), int(high))


def find_tilt(pixels: NDArray[np.uint8] | NDArray[np.uint16], corners: Points | None = None) -> Tilt | NoEstimate:
    """Estimate the tilt of a reduced scan.

    Parameters: ``pixels`` (h, w, C) encoded, about 800 to 1500 pixels long; ``corners`` (4, 2) of the sheet if known:
    then its sides are the best witness, and nothing outside it counts.
    Returns the tilt within 14 degrees either way, or why there is none.
    """
    if corners is not None:
        return _from_corners(corners)
    image = encoded_shares(pixels)
    if min(image.shape[:2]) < 48:
        return NoEstimate("the scan is too small to tell")
    votes = _votes(image)
    if sum(len(family.weight) for family in votes) < 60:
        return NoEstimate("nothing on the sheet is straight enough to tell level from slanting")
    coarse = np.arange(-MOST_DEG, MOST_DEG + 1e-9, _COARSE_DEG)
    few = (votes[0].fewer(3), votes[1].fewer(3))
    score = np.array([_sharpness(few, a, 2.0) for a in coarse])
    top = int(np.argmax(score))
    fine = np.arange(coarse[top] - 1.2, coarse[top] + 1.2 + 1e-9, _FINE_DEG)
    detail = np.array([_sharpness(votes, a, 1.0) for a in fine])
    detail = np.convolve(detail, [0.25, 0.5, 0.25], mode="same")
    best = float(fine[1:-1][int(np.argmax(detail[1:-1]))])
    lines = _lines_at(votes, best)
    if not lines:
        return NoEstimate("nothing on the sheet is straight enough to tell level from slanting")
    deg, sure, why = _agree(lines, best, coarse, score)
    return Tilt(deg, sure, why)


def _from_corners(corners: Points) -> Tilt:
    tl, tr, br, bl = corners
    angles = []
    for a, b, quarter in ((tl, tr, 0), (bl, br, 0), (tl, bl, 90), (tr, br, 90)):
        angles.append(float(np.degrees(np.arctan2(b[1] - a[1], b[0] - a[0]))) - quarter)
    folded = (np.array(angles) + 45) % 90 - 45
    return Tilt(float(folded.mean()), 0.95, "from the sheet's four sides")


def _votes(image: Plane) -> tuple[_Votes, _Votes]:
    gx, gy = gradient(image, 1.0)
    # The rim of the picture is level by making, not by the sheet.
    for plane in (gx, gy):
        plane[:3], plane[-3:], plane[:, :3], plane[:, -3:] = 0, 0, 0, 0
    strength = np.hypot(gx, gy)
    noise = float(np.median(strength[::3, ::3])) + 1e-4
    # Ink and table edges differ a hundredfold in contrast; beyond a point more contrast is not more evidence.
    y, x = np.nonzero(strength > max(5 * noise, 0.006))
    weight = np.minimum(strength[y, x], 0.12)
    direction = np.degrees(np.arctan2(gy[y, x], gx[y, x]))
    level = (direction % 180) - 90  # of an edge whose gradient points down or up
    upright = (direction + 90) % 180 - 90
    is_level = np.abs(level) <= MOST_DEG + _OWN_DEG
    is_upright = np.abs(upright) <= MOST_DEG + _OWN_DEG
    keep = is_level | is_upright
    x, y, weight, is_upright = x[keep] + 0.5, y[keep] + 0.5, weight[keep], is_upright[keep]
    own = np.where(is_upright, upright[keep], level[keep])
    # A quarter turn carries upright edges onto level ones: (x, y) to (y, -x).
    along, across = np.where(is_upright, y, x), np.where(is_upright, -x, y)
    out = []
    for family in (False, True):
        pick = np.nonzero(is_upright == family)[0]
        pick = thinned(pick, _MOST_VOTES)
        pick = pick[np.argsort(own[pick])]
        out.append(_Votes(along[pick], across[pick], own[pick], weight[pick], family))
    return out[0], out[1]


def _profile(votes: _Votes, deg: float, bin_px: float) -> tuple[Points, float]:
    """Votes per line at an angle; and where the first bin lies."""
    use = votes.near(deg, _OWN_DEG)
    a = np.deg2rad(deg)
    rho = (votes.across[use] * np.cos(a) - votes.along[use] * np.sin(a)) / bin_px
    if not len(rho):
        return np.zeros(1), 0.0
    low = np.floor(rho.min())
    at = rho - low
    index = at.astype(int)
    share = at - index
    n = int(at.max()) + 3
    w = votes.weight[use] * (1 - np.abs(votes.own[use] - deg) / (2 * _OWN_DEG))
    counts = np.bincount(index, w * (1 - share), n) + np.bincount(index + 1, w * share, n)
    return np.asarray(counts, np.float64), float(low * bin_px)


def _sharpness(votes: tuple[_Votes, _Votes], deg: float, bin_px: float) -> float:
    """How much the votes fall together on few lines: the sum of their cubes, both families, root taken."""
    total = 0.0
    for family in votes:
        counts, _ = _profile(family, deg, bin_px)
        total += float((_peaks(counts) ** 3).sum())
    return float(total ** (1 / 3))


def _peaks(counts: Points) -> Points:
    """Votes above those of the lines around: what is spread evenly, such as shading, says nothing."""
    wide = cv2.blur(counts[None], (25, 1), borderType=cv2.BORDER_CONSTANT)[0]
    return np.asarray(np.maximum(counts - wide, 0))


@dataclass(frozen=True)
class _Straight:
    """One line found at the best angle: its own ``deg``, its ``error`` (standard error, degrees), ``weight``, place
    and family; ``span`` its length in px, ``filled`` the share of its length that has edge pixels."""

    deg: float
    error: float
    weight: float
    rho: float
    upright: bool
    span: float
    filled: float


def _lines_at(votes: tuple[_Votes, _Votes], deg: float) -> list[_Straight]:
    """The strongest lines near the best angle, each fitted by itself."""
    out: list[_Straight] = []
    for family in votes:
        counts, low = _profile(family, deg, 1.0)
        peaks = _peaks(counts)
        for _ in range(14):
            k = int(np.argmax(peaks))
            if peaks[k] <= 0.3:
                break
            line = _fit(family, deg, low + k)
            if line is not None:
                out.append(line)
            peaks[max(0, k - 6) : k + 7] = 0
    return out


def _fit(votes: _Votes, deg: float, rho: float) -> _Straight | None:
    """Weighted total fit of the pixels beside a line, repeated as it settles."""
    angle, place = deg, rho
    near = votes.near(deg, _OWN_DEG + 1)
    x, y, w = votes.along[near], votes.across[near], votes.weight[near]
    a = np.deg2rad(deg)
    u, v = x * np.cos(a) + y * np.sin(a), y * np.cos(a) - x * np.sin(a)
    if len(u) < _LEAST_VOTES:
        return None
    # Only what lies beside the line however far it may yet turn.
    reach = 3 * _GIVES_PX[0] + (len(_GIVES_PX) - 1) * _TURN * float(np.ptp(u))
    close = np.flatnonzero(np.abs(v - rho) < reach)
    x, y, w = x[close], y[close], w[close]
    for give in _GIVES_PX:
        a = np.deg2rad(angle)
        u, v = x * np.cos(a) + y * np.sin(a), y * np.cos(a) - x * np.sin(a)
        use = np.flatnonzero(np.abs(v - place) < give)
        if len(use) < _LEAST_VOTES:
            return None
        uu, vv, ww = u[use], v[use], w[use]
        share = ww / ww.sum()
        mu, mv = float(share @ uu), float(share @ vv)
        var = float(share @ (uu - mu) ** 2)
        slope = float(share @ ((uu - mu) * (vv - mv))) / max(var, 1e-6)
        if abs(slope) > _TURN:
            return None
        angle += float(np.degrees(np.arctan(slope)))
        a = np.deg2rad(angle)
        place = float(share @ (y[use] * np.cos(a) - x[use] * np.sin(a)))
    low, high = np.percentile(uu, [3, 97])
    span = float(high - low)
    if span < 30:
        return None
    rest = vv - mv - slope * (uu - mu)
    # Neighbouring pixels of one stroke err together: count one witness per 12 px.
    witnesses = max(3.0, span / 12)
    error = float(np.degrees(np.sqrt(float(share @ rest**2) / witnesses / max(var, 1e-6))))
    filled = len(np.unique((uu - low).astype(int) // 4)) / max(span / 4, 1)
    return _Straight(angle, max(error, 0.01), float(ww.sum()), place, votes.upright, span, min(1.0, filled))


def _agree(lines: list[_Straight], best: float, coarse: Points, score: Points) -> tuple[float, float, str]:
    """Weighted consensus of the lines; how sure, from how many agree and how far the best angle stands out."""
    deg = np.array([line.deg for line in lines])
    weight = np.array([line.weight * line.filled / (line.error**2 + 0.05**2) ** 0.5 for line in lines])
    centre = best
    for give in (0.8, 0.45, 0.3):
        near = np.abs(deg - centre) < give
        if not near.any():
            break
        centre = _weighted_median(deg[near], weight[near])
    near = np.abs(deg - centre) < 0.35
    if near.any():
        u = weight[near] * (1 - ((deg[near] - centre) / 0.4) ** 2) ** 2
        centre = float(np.average(deg[near], weights=u))
    agreeing = [line for line, ok in zip(lines, np.abs(deg - centre) < 0.35, strict=True) if ok]
    witnesses, families = _witnesses(agreeing, _hatching(lines))
    far = np.abs(coarse - centre) > 1.6
    rival = float(score[far].max()) if far.any() else 0.0
    stands_out = float(score.max()) / max(rival, 1e-6)
    sure = float(np.clip((stands_out - 1.25) / 0.7, 0, 1) * np.clip((witnesses - 1.2) / 1.6, 0, 1))
    if witnesses >= 1.1 and stands_out > 2.2:
        # One long ruled line with nothing against it, such as the one to sign on.
        sure = max(sure, 0.6)
    # Sheets are seldom laid down that far askew; what leans so is more often drawn so.
    sure *= 1 - 0.4 * float(np.clip((abs(centre) - 9) / 5, 0, 1))
    sure *= 1 - float(np.clip((_mirrored(centre, coarse, score) - _TAPER[0]) / (_TAPER[1] - _TAPER[0]), 0, 1))
    if families == 2:
        why = "level and upright lines agree"
    else:
        why = "upright lines agree" if agreeing and agreeing[0].upright else "level lines agree"
    if sure < 0.5:
        why = "too few lines agree" if witnesses < 2 else "other directions stand out nearly as much"
    return centre, min(sure, 0.99), why


def _mirrored(centre: float, coarse: Points, score: Points) -> float:
    """How far the direction that mirrors the best one stands out, as a share of how far the best one does: what tapers, as a
    tower or a roof, leans both ways about its upright middle."""
    off = np.abs(coarse + centre)
    if abs(centre) < _TAPER_LEAST_DEG or not (off < 1.1).any():
        return 0.0
    around = score[(off > 2) & (off < 4) & (np.abs(coarse - centre) > 2)]
    base = float(around.mean()) if around.size else 0.0
    return (float(score[off < 1.1].max()) - base) / max(float(score.max()) - base, 1e-6)


def _witnesses(lines: list[_Straight], hatching: set[_Straight]) -> tuple[float, int]:
    """How many separate straight things agree, counted by their worth (``hatching`` is worth little); and in how many
    families."""
    total, families = 0.0, set()
    taken: list[tuple[bool, float]] = []
    for line in sorted(lines, key=lambda one: -one.weight):
        # The two rims of one stroke are one witness.
        if any(family == line.upright and abs(rho - line.rho) < 8 for family, rho in taken):
            continue
        taken.append((line.upright, line.rho))
        worth = float(np.clip(line.span / 120, 0, 1.2) * np.clip(line.filled / 0.5, 0, 1))
        if line in hatching:
            worth *= 0.1
        total += worth
        if worth > 0.4:
            families.add(line.upright)
    return total + (0.6 if len(families) == 2 else 0.0), len(families)


def _hatching(lines: list[_Straight]) -> set[_Straight]:
    """The lines that lie side by side in a patch with none long among them: hatching runs the way the hand
    likes, and one patch of it makes many lines agree."""
    out: set[_Straight] = set()
    for family in (False, True):
        patch: list[_Straight] = []
        own = sorted((line for line in lines if line.upright == family), key=lambda line: line.rho)
        for i, line in enumerate(own):
            patch.append(line)
            if i + 1 == len(own) or own[i + 1].rho - line.rho > _HATCH_GAP_PX:
                if len(patch) >= _HATCH_LEAST and all(one.span * one.filled < _HATCH_LONG_PX for one in patch):
                    out.update(patch)
                patch = []
    return out


def _weighted_median(values: Points, weights: Points) -> float:
    order = np.argsort(values)
    run = np.cumsum(weights[order])
    return float(values[order][int(np.searchsorted(run, run[-1] / 2))])
