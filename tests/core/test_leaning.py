"""Warmer and cooler in even steps from a neutral that stays known."""

import numpy as np
import pytest

from velkin.core.cameraprofiles.leaning import DUV, MIRED, Lean, leaned
from velkin.core.cameraprofiles.matrices import built_in
from velkin.core.shoot.giving import Giving, plan_giving
from velkin.core.shoot.shoot import Shoot


@pytest.mark.parametrize("kelvin", [2800.0, 4000.0, 5500.0, 7500.0])
@pytest.mark.parametrize("lean", [Lean(warmer=3), Lean(warmer=-4), Lean(pinker=2), Lean(1, -5)])
def test_steps_are_even_in_mired_and_duv(shoot, ids, kelvin, lean):
    camera = built_in(shoot.state.frames[ids["north-0412"]].raw)
    moved = camera.temperature(leaned(camera.balance_at(kelvin, 0.001), lean, camera))
    assert 1e6 / moved[0] == pytest.approx(1e6 / kelvin - MIRED * lean.warmer, abs=0.3)
    assert moved[1] == pytest.approx(0.001 + DUV * lean.pinker, abs=2e-4)


def test_a_grey_becomes_warmer_or_pinker(shoot, ids):
    """Numbers of a grey under the frame's own white: red over blue grows with warmer, green under both falls with pinker."""
    f = ids["north-0412"]
    neutral = np.array(shoot.state.path(f).camera.balance)

    def grey(lean):
        shoot.camera.lean({f: lean})
        return np.array(shoot.state.path(f).camera.balance) / neutral

    warm, cool, pink, green = grey(Lean(2)), grey(Lean(-2)), grey(Lean(0, 2)), grey(Lean(0, -2))
    assert warm[0] / warm[2] > 1.05 and cool[0] / cool[2] < 0.95
    assert min(pink[0], pink[2]) > 1.005 and max(green[0], green[2]) < 0.995
    assert warm[0] * cool[0] == pytest.approx(1, abs=0.02)


def test_one_step_of_either_moves_white_by_about_as_much(shoot, ids):
    camera = built_in(shoot.state.frames[ids["north-0412"]].raw)
    start = camera.balance_at(5500.0, 0.0)

    def uv(balance):
        x, y = camera.white_of_neutral(1 / balance)
        return np.array([4 * x, 6 * y]) / (-2 * x + 12 * y + 3)

    steps = [
        np.linalg.norm(uv(leaned(start, lean, camera)) - uv(start)) for lean in (Lean(1), Lean(-1), Lean(0, 1), Lean(0, -1))
    ]
    assert max(steps) < 1.35 * min(steps)


def test_the_path_says_so_the_neutral_stays_and_undo_takes_it_back(shoot, ids):
    f = ids["north-0412"]
    before = shoot.state.path(f)
    shoot.camera.lean({f: Lean(2, -1)})
    path = shoot.state.path(f)
    assert path.camera.balance_from == f"{before.camera.balance_from}, 2 warmer, 1 greener"
    assert shoot.state.camera_of(f, leaning=False) == before.camera
    shoot.camera.lean({f: Lean()})
    assert shoot.state.path(f) == before
    shoot.undo()
    shoot.undo()
    assert shoot.state.path(f) == before


def test_it_is_kept_in_the_file_and_given_with_the_balance(shoot, ids, demo_shoot):
    f, other = ids["north-0412"], ids["north-0413"]
    shoot.camera.set_balance((f,), (2.0, 1.0, 1.5), "picked")
    shoot.camera.lean({f: Lean(3)})
    plan = plan_giving(shoot.state, f, (other,), Giving(profile=False), light=None)
    shoot.camera.give(plan)
    given = shoot.state.frames[other]
    assert (given.balance, given.balance_from, given.lean) == ((2.0, 1.0, 1.5), "picked", Lean(3))
    shoot.close()
    again = Shoot.open(demo_shoot)
    assert again.state.frames[other].lean == Lean(3)
    assert again.state.path(other).camera.balance_from == "picked, 3 warmer"
    again.close()


def test_there_are_five_steps_and_numbers_that_are_typed_are_what_is_seen(shoot, ids):
    assert Lean(4, -4).by(3, -3) == Lean(5, -5)
    f = ids["north-0412"]
    shoot.camera.lean({f: Lean(2)})
    shoot.camera.set_balance((f,), (1.9, 1.0, 1.4), "typed", lean=Lean())
    assert tuple(shoot.state.path(f).camera.balance) == pytest.approx((1.9, 1.0, 1.4))
    shoot.camera.lean({f: Lean(2)})
    shoot.camera.use_built_in((f,))
    assert not shoot.state.frames[f].lean
