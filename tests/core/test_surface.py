"""Reading results: neighbours, plateau and rocks, views, fronts, rankings; each beside a plain form."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skelb.core.figures import FIGURE_KEYS
from skelb.core.trials import (
    Axis,
    Cell,
    Results,
    around,
    design,
    figures_from,
    front,
    landmarks,
    neighbourhood,
    places_of,
    rank_correlation,
    view_of,
)

THREE = (Axis("a", tuple(range(5))), Axis("b", tuple(range(4))), Axis("kind", ("x", "y"), ordered=False))


def plain_neighbours(axes, numbers):
    """The neighbours of each run by looking at every other."""
    places = places_of(axes, numbers).T
    ordered = [axis.ordered for axis in axes]
    for here in places:
        steps = np.abs(places - here)
        yield {
            row
            for row, step in enumerate(steps)
            if step.any() and all(s <= 1 if o else s == 0 for s, o in zip(step, ordered, strict=True))
        }


@given(st.data())
def test_neighbours_on_a_grid_are_one_step_away_whatever_has_run(data):
    every = np.arange(40)
    numbers = np.array(data.draw(st.lists(st.sampled_from(every.tolist()), min_size=1, unique=True)))
    found = around(THREE, numbers)
    assert [set(row[row >= 0].tolist()) for row in found] == list(plain_neighbours(THREE, numbers))


def test_with_many_axes_neighbours_are_a_step_on_one_of_them():
    axes = tuple(Axis(name, (1, 2, 3)) for name in "abcde")
    middle = sum(3**place for place in range(5))
    near = around(axes, np.arange(3**5))
    assert sorted(near[middle].tolist()) == sorted(middle + sign * 3**place for place in range(5) for sign in (-1, 1))


def test_neighbours_of_drawn_points_are_the_nearest_with_the_same_words():
    axes = (Axis("a", tuple(range(50))), Axis("b", tuple(range(9))), Axis("kind", ("x", "y"), ordered=False))
    numbers = design(axes, "latin", 60, 5)
    places = places_of(axes, numbers)
    scaled = places[:2] / np.array([[49], [8]])
    for row, near in enumerate(around(axes, numbers, drawn=True)):
        assert row not in near and (places[2][near] == places[2][row]).all()
        far = np.hypot(*(scaled - scaled[:, [row]]))
        others = np.flatnonzero((places[2] == places[2][row]) & (np.arange(numbers.size) != row))
        assert far[near].max() <= np.sort(far[others])[7] + 1e-12


@given(st.integers(0, 99))
def test_neighbourhood_is_the_median_of_a_run_and_those_around_it(seed):
    rng = np.random.default_rng(seed)
    values = np.where(rng.random(40) < 0.2, np.nan, rng.normal(size=40))
    found = neighbourhood(values, around(THREE, np.arange(40)))
    for row, near in enumerate(plain_neighbours(THREE, np.arange(40))):
        if np.isnan(values[row]):
            assert np.isnan(found[row])
        else:
            assert found[row] == pytest.approx(np.nanmedian(values[[row, *near]]))


SEA = (Axis("y", tuple(range(15))), Axis("x", tuple(range(15))))


def test_a_lonely_peak_is_a_rock_and_a_broad_one_the_plateau():
    y, x = np.mgrid[0:15, 0:15]
    surface = 3 * np.exp(-((x - 4) ** 2 + (y - 5) ** 2) / 12.0)
    surface[12, 12] = 6.0
    near = around(SEA, np.arange(225))
    found = landmarks(surface.ravel(), near)
    assert found.rocks == (12 * 15 + 12,)
    assert found.plateau == 5 * 15 + 4
    assert landmarks(-surface.ravel(), near, higher_is_better=False).rocks == found.rocks
    for shift in (-100.0, 100.0):  # where the figure's zero lies makes no difference
        moved = landmarks(surface.ravel() + shift, near)
        assert moved == found
    # What stands alone is never called the plateau, not even where nothing else is better.
    alone = landmarks(np.array([0.0, 9.0, 0.0]), np.array([[1, -1], [0, 2], [1, -1]]))
    assert alone.plateau in (0, 2) and alone.rocks == (1,)
    assert landmarks(np.full(225, np.nan), near).plateau is None
    words = (Axis("kind", tuple("abc"), ordered=False),)
    assert landmarks(np.array([1.0, 9.0, 2.0]), around(words, np.arange(3))) == type(found)(1, ())


def test_a_view_shows_for_every_place_the_run_in_the_middle_or_the_best():
    rng = np.random.default_rng(6)
    numbers = rng.permutation(40)[:33]
    values = np.where(rng.random(33) < 0.2, np.nan, rng.integers(0, 5, 33).astype(float))
    places = places_of(THREE, numbers)
    for held in ({}, {2: 1}):
        middle = view_of(THREE, numbers, values, 0, 1, held)
        best = view_of(THREE, numbers, values, 0, 1, held, "best")
        lowest = view_of(THREE, numbers, values, 0, 1, held, "best", higher_is_better=False)
        for x, y in np.ndindex(5, 4):
            rows = [
                row
                for row in range(33)
                if tuple(places[:2, row]) == (x, y) and all(places[a, row] == p for a, p in held.items())
            ]
            known = sorted(values[row] for row in rows if not np.isnan(values[row]))
            if not rows:
                assert middle[x, y] == best[x, y] == -1
            elif not known:
                assert middle[x, y] in rows and np.isnan(values[best[x, y]])
            else:
                assert values[middle[x, y]] == known[(len(known) - 1) // 2]
                assert values[best[x, y]] == known[-1] and values[lowest[x, y]] == known[0]
    assert view_of(THREE, numbers, values, 1, None, {}).shape == (4, 1)


@given(st.lists(st.tuples(*[st.integers(0, 4) | st.just(np.nan)] * 3), max_size=40))
def test_the_front_is_what_no_other_run_beats(points):
    values = np.array(points, float).reshape(-1, 3)
    more = np.array([True, False, True])
    signed = np.where(more, values, -values)

    def is_beaten(row):
        return any((other >= row).all() and (other > row).any() for other in signed if not np.isnan(other).any())

    plain = [not np.isnan(row).any() and not is_beaten(row) for row in signed]
    assert front(values, more).tolist() == plain


@given(st.lists(st.tuples(st.integers(0, 6), st.integers(0, 6)), max_size=30))
def test_rank_correlation_is_that_of_the_shared_ranks(pairs):
    x, y = np.array(pairs, float).reshape(-1, 2).T

    def rank(values, value):
        return sum(other < value for other in values) + (sum(other == value for other in values) + 1) / 2

    found = rank_correlation(np.append(x, np.nan), np.append(y, 3.0))
    ranks = np.array([[rank(x, a), rank(y, b)] for a, b in pairs]).reshape(-1, 2)
    if len(pairs) < 3 or min(len(set(x)), len(set(y))) < 2:
        assert found is None
    else:
        assert found == pytest.approx(np.corrcoef(ranks.T)[0, 1])


def test_results_are_the_cells_that_made_them():
    figures = {key: float(place) for place, key in enumerate(FIGURE_KEYS)} | {"trades": 7, "sharpe": None}
    cells = [
        Cell(4, 1, figures),
        Cell(2, 0, None, error="a length of half a bar"),
        Cell(2, 1, figures),
        Cell(9, 0, figures),
    ]
    found = Results.joined([Results.of(cells[:1]), Results.of(cells[1:]), Results.of([])])
    assert len(found) == 4 and found.errors == {1: "a length of half a bar"}
    inside, outside = found.part(0), found.part(1)
    assert inside.numbers.tolist() == [2, 9] and outside.numbers.tolist() == [2, 4]
    assert inside.figures_at(0) is None and inside.errors == {0: "a length of half a bar"}
    back = inside.figures_at(1)
    assert back["sharpe"] is None and back["trades"] == 7 and isinstance(back["trades"], int)
    assert figures_from(inside.figures[1]) == {**figures, **{key: back[key] for key in back}}
    assert np.isnan(outside.objective("net_profit", 8)).all() and outside.objective("return", 7)[0] == figures["return"]
