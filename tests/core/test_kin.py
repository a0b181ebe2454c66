"""Kin: pieces of one make are told from others wherever they lie, among few and among very many."""

from __future__ import annotations

import numpy as np
import pytest

from woad.core.spotting.kin import kin, opinion_of_kin


def test_pieces_of_one_make_are_each_others_kin_and_not_their_own() -> None:
    """Three alike and one that is not: two kin each, and none."""
    make = np.array([[0.0, 10, 0], [0.05, 10, 0], [0.0, 10.05, 0], [9.0, 3, 4]])
    assert np.expm1(kin(make, np.zeros((4, 2)))[:, 0]) == pytest.approx([2, 2, 2, 0], abs=0.02)


def test_what_its_kin_were_judged_is_told_of_each_piece() -> None:
    """A piece taken for dirt among kin that are marks hears of mark; one among dirt hears of dirt."""
    make = np.repeat([[0.0, 0, 0], [20.0, 0, 0]], 6, axis=0)
    first = np.array([0.9, 0.1, 0, 0.1, 0, 0, 1, 0.9, 1, 1, 0.2, 1])
    mark, dirt = np.expm1(opinion_of_kin(make, np.zeros((12, 2)), first)).T[:2]
    assert mark[0] == pytest.approx(4.8) and dirt[0] == pytest.approx(0.2)
    assert mark[10] == pytest.approx(0.1) and dirt[10] == pytest.approx(4.9)


def test_among_very_many_a_part_of_them_tells_as_much() -> None:
    """9,000 pieces are not all compared with each other, and come to nearly the same counts."""
    rng = np.random.default_rng(3)
    make = rng.normal(0, 3, (9000, 3))
    some, at = make[:1500], rng.uniform(0, 100, (9000, 2))
    few, many = np.expm1(kin(some, at[:1500])[:, 1]), np.expm1(kin(make, at)[:1500, 1])
    dense = few > 20
    assert float(np.median(many[dense] / few[dense])) == pytest.approx(6, rel=0.05)


def test_a_flock_is_told_from_what_is_strewn() -> None:
    """Of 300 alike that lie together and 60 of another make strewn over the sheet only the first flock."""
    rng = np.random.default_rng(5)
    make = np.repeat([[0.0, 0, 0], [20.0, 0, 0]], [300, 60], axis=0)
    at = np.concatenate([rng.normal(50, 8, (300, 2)), rng.uniform(0, 150, (60, 2))])
    flocking = kin(make, at)[:, 4]
    assert np.median(flocking[:300]) > np.median(flocking[300:]) + 1.5
    assert abs(np.median(flocking[300:])) < 0.8
