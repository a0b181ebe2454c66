"""Strays: fit the trees of their judge on simulated sheets of other seeds than those it is measured on (``strays.py``)."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sklearn.ensemble import HistGradientBoostingClassifier
from sklearn.model_selection import GroupKFold

from dirt import Dirty, Kind, dirty
from media import ALL
from small_marks import Dot
from strays import sheet_for
from woad.core.render.strays import look_over
from woad.core.spotting.closeup import CloseUp
from woad.core.spotting.forest import LEAVES
from woad.core.spotting.judge import features, second_look
from woad.core.spotting.pieces import Pieces
from woad.core.units import mm_to_px

FIT_SEEDS, TREES = (*range(5001, 5017), *range(5051, 5087)), Path("src/woad/core/spotting/trees.npz")
TIDY_SEEDS = range(5101, 5116)  # sheets with hardly any dirt: what one learns from others need not hold for them
DOTTED_SEEDS = range(5201, 5215)  # sheets that are nothing but dots
STREWN_SEEDS = range(5301, 5327)  # sheets whose only small marks are dots far apart, as dust lies
# As so many sheets count: nothing but its make tells a dot strewn alone from a dark speck of dust, and dust may stay.
COUNTS: dict[Kind, float] = {"strewn": 6.0, "grimy": 0.35}
# Sheets without small marks, whose dust has nothing to be compared with, by ppi.
PLAIN_SEEDS = {300: range(5351, 5361), 200: range(5361, 5365)}
OTHER_PPI = {200: range(5401, 5412), 600: range(5501, 5504)}  # a speck's rim is not the same at every resolution
STREWN_OTHER_PPI = {200: range(5401, 5405), 600: range(5501, 5503)}
SPATTERED_SEEDS = range(5029, 5051)  # more of what has few small marks, and those like dust
# Dirt of every size, long curled hairs, curled thin strokes.
GRIMY_SEEDS = {300: range(5601, 5615), 200: range(5615, 5625)}
SPATTERED = ("watercolour", "gouache", "tracing")
_MOSTLY, _HARDLY = 0.3, 0.05  # share of a piece that lies on what it is; and on what it is not
MANY = 200  # pieces of one kind on a sheet from which more of them weigh as much again
DEAR = 0.5  # a mark lost, to a speck left: marks outnumber specks twenty to one, and yet no dust may stay

DOTTED = ("pen", "lettering", "tracing", "print", "signature")


@dataclass(frozen=True, eq=False)
class Row:
    """A sheet's ``pieces`` without their labels, a ``close`` look at them, their hues, and the truth of them: ``kinds`` 1
    dirt, 0 mark, -1 neither for sure. ``counts`` as so many sheets."""

    pieces: Pieces
    ppi: float
    close: CloseUp | None
    hue: NDArray[np.float64] | None
    kinds: NDArray[np.int8]
    counts: float = 1.0

    def features(self) -> NDArray[np.float64]:
        return features(self.pieces, self.ppi, self.close, self.hue)


def truth(pieces: Pieces, sheet: Dirty) -> NDArray[np.int8]:
    """For each piece 1 dirt, 0 mark, -1 neither for sure."""
    out, near = by_dots(pieces, sheet.specks, sheet.marks)
    art, hair = (_share_on(pieces, mask) for mask in (sheet.flat.marks, sheet.hairs > 0))
    out[~near & (hair > _MOSTLY) & (art < _HARDLY)] = 1
    out[~near & (art > _MOSTLY) & (hair < _HARDLY)] = 0  # bits of the drawing itself
    return out


def _share_on(pieces: Pieces, mask: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Share of each piece's blocks that hold some of a mask (h, w), (n,)."""
    block = pieces.block_px
    h, w = (n * block for n in pieces.labels.shape)
    whole = np.zeros((h, w), bool)
    whole[: mask.shape[0], : mask.shape[1]] = mask
    held = whole.reshape(h // block, block, w // block, block).any(axis=(1, 3))
    own = pieces.labels > 0
    which, n = pieces.labels[own] - 1, len(pieces)
    return np.asarray(np.bincount(which, held[own], n) / np.maximum(np.bincount(which, minlength=n), 1))


def by_dots(pieces: Pieces, specks: Sequence[Dot], marks: Sequence[Dot]) -> tuple[NDArray[np.int8], NDArray[np.bool_]]:
    """For each piece 1 if it is one of the specks, 0 if one of the marks, else -1; and whether it lies by any of them.
    What lies between a speck and a dot is the nearer of the two; a bit of the drawing beside a speck is neither."""
    out, nearest, close = np.full(len(pieces), -1, np.int8), np.full(len(pieces), np.inf), np.zeros(len(pieces), bool)
    x, y = pieces.at[:, 0], pieces.at[:, 1]
    for kind, dots, own in ((1, specks, 0.5), (0, marks, 1.0)):  # a speck's own piece lies right on it
        for dx, dy, r in dots:
            far = np.hypot(x - dx, y - dy)
            by = far <= r + 2 + 0.3 * pieces.size_px
            close |= by
            its = by & (far < nearest) & (far <= r + own * (2 + 0.3 * pieces.size_px))
            out[its], nearest[its] = kind, far[its]
    return out, close


def _one(job: tuple[str, int, Kind, int]) -> Row:
    warnings.simplefilter("ignore")
    medium, seed, kind, ppi = job
    sheet = dirty(medium, seed, ppi, kind=kind)
    loaded, docket = sheet_for(sheet)
    found = look_over(loaded, docket).strays
    assert found is not None
    kinds = truth(found.pieces, sheet)
    bare = replace(found.pieces, labels=np.zeros((1, 1), np.int32))
    return Row(bare, sheet.flat.ppi, found.close, found.hue, kinds, COUNTS.get(kind, 1.0))


def jobs_to_fit() -> list[tuple[str, int, Kind, int]]:
    """The sheets that are learnt from: a part of them with hardly any dirt, a part with dots only, a part all grime."""
    jobs: list[tuple[str, int, Kind, int]] = [(m, s, "usual", 300) for m in ALL for s in FIT_SEEDS]
    jobs += [(m, s, "usual", 300) for m in SPATTERED for s in SPATTERED_SEEDS]
    jobs += [(m, s, "tidy", 300) for m in ALL for s in TIDY_SEEDS]
    jobs += [(m, s, "dotted", 300) for m in DOTTED for s in DOTTED_SEEDS]
    jobs += [(m, s, "strewn", 300) for m in DOTTED for s in STREWN_SEEDS]
    by_ppi: tuple[tuple[Kind, dict[int, range]], ...] = (("plain", PLAIN_SEEDS), ("grimy", GRIMY_SEEDS))
    for kind, of_ppi in by_ppi:
        jobs += [(m, s, kind, ppi) for ppi, seeds in of_ppi.items() for m in ALL for s in seeds]
    for ppi, seeds in OTHER_PPI.items():
        jobs += [(m, s, "usual", ppi) for m in ALL for s in seeds]
        jobs += [(m, s, "strewn", ppi) for m in DOTTED for s in STREWN_OTHER_PPI[ppi]]
    return jobs


def fit() -> None:
    """Fit both judgements on simulated sheets."""
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        rows = list(pool.map(_one, jobs_to_fit()))
    rng = np.random.default_rng(1)
    fit_on(rows + [of_one_make(row, rng) for row in rows[::3]])


_OF_A_MAKE = ("size_px", "length_px", "width_px", "bow_px", "peak", "fill")
_OF_A_LOOK = ("peak", "mass", "across", "along", "evenness")


def of_one_make(row: Row, rng: np.random.Generator) -> Row:
    """The same sheet, its specks all like one or two of them: what fell from one source is of one make, as marks are."""
    specks = np.flatnonzero((row.kinds == 1) & (row.pieces.length_px < mm_to_px(1, row.ppi)))
    if not len(specks):
        return row
    model = rng.choice(rng.choice(specks, 2), len(specks))

    def alike(values: NDArray[np.floating]) -> NDArray[np.floating]:
        out = values.copy()
        out[specks] = out[model] * rng.normal(1, 0.03, len(specks))
        return out

    pieces = replace(row.pieces, **{name: alike(getattr(row.pieces, name)) for name in _OF_A_MAKE})
    pieces = replace(pieces, peak=np.minimum(pieces.peak, 1))
    close = row.close and replace(row.close, **{name: alike(getattr(row.close, name)) for name in _OF_A_LOOK})
    return replace(row, pieces=pieces, close=close)


def fit_on(rows: list[Row]) -> None:
    """Fit on pieces of known kind and keep the trees. The second judgement learns from first ones of other sheets, as it
    will have to go by them on sheets that nobody has seen."""
    own = [row.features() for row in rows]
    x, y = np.concatenate(own), np.concatenate([row.kinds for row in rows])
    sheet = np.repeat(np.arange(len(rows)), [len(o) for o in own])
    known = y >= 0
    weight = _weights(y, sheet) * np.array([row.counts for row in rows])[sheet]
    unseen = np.zeros(len(y))
    for learn, judge in GroupKFold(4).split(x, y, sheet):
        learn = learn[known[learn]]
        unseen[judge] = _fitted(x[learn], y[learn], weight[learn]).predict_proba(x[judge])[:, 1]
    second = np.concatenate([
        second_look(o, row.pieces, row.ppi, row.hue, unseen[sheet == i])
        for i, (o, row) in enumerate(zip(own, rows, strict=True))
    ])  # fmt: skip
    data: dict[str, NDArray[np.generic] | float] = {}
    for name, columns in (("first", x), ("second", second)):
        data |= _trees(name, _fitted(columns[known], y[known], weight[known]))
    np.savez_compressed(TREES, **data)  # type: ignore[arg-type]
    print(f"{known.sum()} pieces of {len(rows)} sheets; {TREES.stat().st_size / 1000:.0f} kB of trees")


def _weights(kinds: NDArray[np.int8], sheet: NDArray[np.intp]) -> NDArray[np.float64]:
    """What each piece counts: of many marks on one sheet each less than of a few on another, by the root of how many they
    are; but a pencil's thousands of crumbs take no weight from the dots among them."""
    out = np.ones(len(kinds))
    for kind, dear in ((0, DEAR), (1, 1.0)):
        own = kinds == kind
        root = np.sqrt(np.minimum(np.bincount(sheet[own], minlength=int(sheet.max()) + 1), MANY))
        out[own] = dear * own.sum() / (1 / root[sheet[own]]).sum() / root[sheet[own]]
    return out


def _fitted(
    columns: NDArray[np.float64], kinds: NDArray[np.int8], weight: NDArray[np.float64]
) -> HistGradientBoostingClassifier:
    model = HistGradientBoostingClassifier(
        max_iter=480, max_leaf_nodes=LEAVES, learning_rate=0.07, l2_regularization=5, min_samples_leaf=30,
        early_stopping=False, random_state=0,
    )  # fmt: skip
    return model.fit(columns, kinds, sample_weight=weight)


def _trees(name: str, model: HistGradientBoostingClassifier) -> dict[str, NDArray[np.generic] | float]:
    """The model's trees as the arrays of a Forest."""
    trees = [_tree(stage[0].nodes) for stage in model._predictors]
    out: dict[str, NDArray[np.generic] | float] = {
        f"{name}_{what}": np.stack([tree[i] for tree in trees])
        for i, what in enumerate(("column", "limit", "others", "value"))
    }
    return out | {name: float(model._baseline_prediction.ravel()[0])}


def _tree(nodes: NDArray[np.void]) -> tuple[NDArray[np.generic], ...]:
    """One tree's columns, limits, bits and values; nodes that it does not have are never passed."""
    column, limit = np.zeros(LEAVES - 1, np.int16), np.full(LEAVES - 1, np.inf, np.float32)
    others, value = np.full(LEAVES - 1, 255, np.uint8), np.zeros(LEAVES, np.float32)
    leaves = inner = 0

    def walk(at: int) -> int:
        """Number the leaves below a node from the left; returns their bits."""
        nonlocal leaves, inner
        node = nodes[at]
        if node["is_leaf"]:
            value[leaves] = node["value"]
            leaves += 1
            return 1 << (leaves - 1)
        mine, inner = inner, inner + 1
        on_left = walk(int(node["left"]))
        column[mine], limit[mine], others[mine] = node["feature_idx"], node["num_threshold"], 255 & ~on_left
        return on_left | walk(int(node["right"]))

    walk(0)
    return column, limit, others, value


if __name__ == "__main__":
    fit()
